# Sourced: what the scripts need that make a bare Debian 12 root. The mirror is the machine's own, from its apt
# configuration; NK_MIRROR overrides it.

# The address of the Debian archive this machine installs from.
debian_mirror() {
  if [ -n "${NK_MIRROR:-}" ]; then echo "$NK_MIRROR"; return; fi
  apt-get indextargets --format '$(REPO_URI) $(RELEASE) $(COMPONENT)' 'Created-By: Packages' |
    awk '$2 ~ /^bookworm$|^bookworm\// && $3 == "main" {sub(/\/$/, "", $1); print $1; exit}'
}

# debian_root FOLDER: a bare root (nothing but apt) in an empty folder, able to install packages as this machine does.
debian_root() {
  local mirror
  mirror=$(debian_mirror)
  [ -n "$mirror" ] || { echo "The machine's apt names no archive of Debian 12 (set NK_MIRROR)." >&2; return 1; }
  mmdebstrap --quiet --mode=root --variant=apt --include=ca-certificates bookworm "$1" "$mirror"
  cp /etc/resolv.conf "$1/etc/resolv.conf"
  [ ! -s /etc/hosts ] || cp /etc/hosts "$1/etc/hosts"
  apt-config dump | grep -E '^Acquire::(http|https)::(Proxy|Verify)' > "$1/etc/apt/apt.conf.d/99machine" || true
}

# alone_in_mounts SCRIPT ARGS …: runs the script again in a namespace of its own for mounts and processes. What it
# mounts there goes with it, at whatever moment it ends or is killed; the machine's own mounts are never touched.
alone_in_mounts() {
  exec unshare --mount --propagation private --pid --fork --kill-child env NK_IN_NAMESPACE=1 "$@"
}

# in_debian_root ROOT COMMAND …: the command in the root, with a /proc and /dev of the root's own.
in_debian_root() {
  local root=$1 name major minor
  shift
  if ! mountpoint -q "$root/proc"; then
    mount -t proc proc "$root/proc"
    mount -t tmpfs -o mode=755,dev tmpfs "$root/dev"
    while read -r name major minor; do
      mknod -m 666 "$root/dev/$name" c "$major" "$minor"
    done <<< $'null 1 3\nzero 1 5\nfull 1 7\nrandom 1 8\nurandom 1 9\ntty 5 0'
    ln -s /proc/self/fd "$root/dev/fd"
    mkdir -m 1777 "$root/dev/shm"
    # Pseudo-terminals of the root's own, where the kernel gives them.
    mkdir "$root/dev/pts"
    mount -t devpts -o newinstance,ptmxmode=0666,mode=0620 devpts "$root/dev/pts" &&
      ln -s pts/ptmx "$root/dev/ptmx" || echo "no pseudo-terminals in this root"
  fi
  chroot "$root" /usr/bin/env -i HOME=/root PATH=/usr/sbin:/usr/bin:/sbin:/bin LANG=C.UTF-8 \
    ${http_proxy:+http_proxy="$http_proxy"} ${https_proxy:+https_proxy="$https_proxy"} "$@"
}
