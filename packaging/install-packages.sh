# Sourced by run-demo, run-tests and .ci/run: installs the Debian packages that are missing, and
# says which. Uses sudo when not root; does nothing when all are there.
PACKAGES_build="build-essential cmake ninja-build pkg-config qt6-base-dev qt6-svg-dev qt6-serialport-dev qt6-base-dev-tools libgl-dev
  libqcustomplot-dev libsqlitecpp-dev libsqlite3-dev libgsl-dev libeigen3-dev libfmt-dev nlohmann-json3-dev libcli11-dev
  libfast-float-dev libssl-dev libexpected-dev libzstd-dev zlib1g-dev liborcus-dev libixion-dev libmatio-dev libboost-dev
  libical-dev libcsv-dev libcanberra-dev"
PACKAGES_run="qt6-qpa-plugins"
PACKAGES_test="locales python3 python3-icalendar poppler-utils libgtest-dev libgmock-dev libsundials-dev xvfb weston qt6-wayland"
PACKAGES_check="clang-format clang-tidy cppcheck clang libclang-rt-14-dev libbenchmark-dev"

install_packages() {
  local wanted=() missing=() group package list
  for group in "$@"; do
    list="PACKAGES_$group"
    for package in ${!list}; do wanted+=("$package"); done
  done
  for package in "${wanted[@]}"; do
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "ok installed" || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  if ! command -v apt-get > /dev/null; then
    echo "These packages are needed and this is no Debian: ${missing[*]}" >&2
    return 1
  fi
  echo "Installing: ${missing[*]}"
  local sudo=""
  [ "$(id -u)" -eq 0 ] || sudo=sudo
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}" > /dev/null
}
