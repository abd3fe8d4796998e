# bash completion for narrow-knee-cli
_narrow_knee_cli() {
  local cur=${COMP_WORDS[COMP_CWORD]} prev=${COMP_WORDS[COMP_CWORD-1]}
  local battery="--chemistry --series --parallel --rated-ah --mass-kg --ambient-c --set-a"
  local reading="--sign --map --unit --date-order --decimal --load --accuracy --interval-s --threads"
  if [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W "analyse replay rate compare history verdict group rainflow fade habit plan predict watch shelf due identify simulate book --help --version" -- "$cur")
    return
  fi
  case "$prev" in
    --chemistry) mapfile -t COMPREPLY < <(compgen -W "nmc nca lco lmo lipo lihv lfp lto nimh nicd" -- "$cur"); return ;;
    --sign) mapfile -t COMPREPLY < <(compgen -W "auto charge-positive discharge-positive" -- "$cur"); return ;;
    book) mapfile -t COMPREPLY < <(compgen -W "list verify import export backup rescue hand-on merge refresh instruments chargers" -- "$cur"); return ;;
    plan) mapfile -t COMPREPLY < <(compgen -W "charge breakin recondition storage readyby join queue chargers" -- "$cur"); return ;;
    simulate) mapfile -t COMPREPLY < <(compgen -W "$(narrow-knee-cli simulate --list 2>/dev/null)" -- "$cur"); return ;;
  esac
  if [[ $cur == -* ]]; then
    mapfile -t COMPREPLY < <(compgen -W "$battery $reading --json --book --csv --instrument --charger --rule --floor --top-temperature --shape --full --sha256 --fail-on-hazard --force --help" -- "$cur")
  else
    mapfile -t COMPREPLY < <(compgen -f -- "$cur")
  fi
}
complete -o filenames -F _narrow_knee_cli narrow-knee-cli
