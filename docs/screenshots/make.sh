#!/usr/bin/env bash
# Makes the pictures in this folder from the demo data. Needs xvfb, xterm, imagemagick and chromium.
#   docs/screenshots/make.sh [NAME…]
set -euo pipefail
cd "$(dirname "$0")/../.."
here=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null; rm -rf "$work"' EXIT
CGO_ENABLED=0 go build -o "$work/bin/merry" ./cmd/merry
export PATH=$work/bin:$PATH HOME=$work/home XDG_CACHE_HOME=$work/home/.cache XDG_CONFIG_HOME=$work/home/.config
mkdir -p "$HOME"
export DISPLAY=:97
Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
sleep 1

wanted() { [ ${#names[@]} -eq 0 ] || [[ " ${names[*]} " == *" $1 "* ]]; }
names=("$@")

# shot NAME 'COMMANDS': what a terminal shows after the commands were typed in the club's site.
shot() {
  wanted "$1" || return 0
  printf '%s\n' "cd '${in:-$work/demo/site}'; PS1='$ '; clear" "$2" 'touch "$DONE"; sleep 20' >"$work/run.sh"
  rm -f "$work/done"
  DONE=$work/done xterm -geometry 159x50 -fa 'DejaVu Sans Mono' -fs 10 -bg '#fbfaf7' -fg '#22303a' -e bash "$work/run.sh" &
  local pid=$!
  for _ in $(seq 100); do [ -e "$work/done" ] && break; sleep 0.1; done
  sleep 0.6
  import -window root "$here/$1.png"
  kill $pid; wait $pid 2>/dev/null || true
}
# browse NAME ADDRESS: what a browser shows.
browse() {
  wanted "$1" || return 0
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync \
    --allow-file-access-from-files --user-data-dir="$work/chromium" --window-size=1280,800 --screenshot="$here/$1.png" "$2" >/dev/null 2>&1
}
say() { printf 'echo "$ %s"; %s' "$1" "$1"; }
try() { printf '%s; echo; ' "$(say "$1")"; }

merry demo --to "$work/demo" --bare >/dev/null
cd "$work/demo/site"
shot start "$(try 'merry start')"
[ -e crate.yaml ] || merry start >/dev/null
shot peek "$(try 'merry peek ../downloads/brinework-1.2.0.zip')"
shot pick '(sleep 1; touch "$DONE") & merry take ../downloads/brinework-1.2.0.zip'
shot take "$(try 'merry take ../downloads/oarlock-2.0.3.zip --suggested --page tides.html --dry-run')"
merry take ../downloads/oarlock-2.0.3.zip --because 'the menu and brinework are built on it' --page '**' >/dev/null
merry take ../downloads/brinework-1.2.0.zip --needs oarlock --page '**' >/dev/null
shot contents "$(try 'merry contents')$(try 'merry undo --list')"
if wanted settle; then
  cp -r "$work/demo" "$work/moved"
  (cd "$work/moved/site" && sed -i 's/^  brinework:/&\n    into: vendor\/brinework/' crate.yaml)
  in=$work/moved/site shot settle "$(try 'merry move js/club.js js/own/')$(try 'merry check --no-rehearse')$(try 'merry settle')"
fi
if command -v nvim >/dev/null; then
  shot editor "nvim -u NONE -c 'luafile $here/editor.lua' index.html"
fi
merry omit oarlock --page tides.html >/dev/null
sed -i 's|js/club.js|js/Club.js|' index.html
shot check "$(try 'merry check')"
sed -i 's|js/Club.js|js/club.js|' index.html
merry undo >/dev/null 2>&1 || true
merry demo --to "$work/played" >/dev/null
# stand starts the stand-in registry and CDN, once; they answer while pictures are made, and end with this script.
stand() {
  [ -e "$work/stand.txt" ] && return 0
  merry demo --to "$work/stand" --stand-ins >"$work/stand.txt" &
  until grep -q export "$work/stand.txt"; do sleep 0.1; done
  eval "$(grep export "$work/stand.txt")"
}
if wanted compare || wanted newer || wanted bill; then
  stand
  cp -r "$work/demo" "$work/old"; export MERRY_HOME=$work/old-home
  (cd "$work/old/site" && merry sources set registry "$REGISTRY" && merry refill && merry take tidechart --page tides.html && merry hold oarlock --below 2.1.0 --because "the kiosk's browser has no classes") >/dev/null
  in=$work/old/site shot newer "$(try 'merry versions --newer')$(try 'merry bill')"
  in=$work/old/site shot compare "$(try 'merry compare brinework 2.0.0')"
  (cd "$work/old/site" && merry compare brinework 2.0.0 --report "$work/compare.html" >/dev/null)
  browse compared "file://$work/compare.html"
fi
if wanted switch || wanted adopt || wanted sources; then
  stand
  export MERRY_HOME=$work/played/home
  merry sources set registry "$REGISTRY" >/dev/null
  merry sources set certificates "$CERTIFICATE" >/dev/null
  merry sources set host cdn.harbour.example "$CDN" >/dev/null
  live=$work/played/site
  in=$live shot switch "$(try 'merry switch oarlock --cdn --page index.html --fallback --dry-run')"
  merry demo --to "$work/documented" --bare >/dev/null
  (cd "$work/documented/site" && merry start >/dev/null && cp ../more/regatta.html .)
  in=$work/documented/site shot adopt "$(try 'merry adopt regatta.html')"
  in=$work/documented/site shot sources "$(try 'merry sources')$(try 'merry sources learn https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js')"
fi
# A page with its scripts in the wrong order, drawn and reported.
if wanted order || wanted report || wanted serve || wanted look || wanted looks; then
  cp -r "$work/played/site" "$work/muddled"
  export MERRY_HOME=$work/played/home
  (cd "$work/muddled" && sed -i '/own\/club.js/d; s|.*js/oarlock.min.js.*|    <script src="own/club.js"></script>\n&|' tides.html && sed -i 's|own/config.js|own/Config.js|' crews/index.html && sed -i '/js\/brinework.min.js/s/<script /<script async /' index.html)
  in=$work/muddled shot order "$(try 'merry order tides.html')$(try 'merry order fog.html')"
  (cd "$work/muddled" && merry check --report "$work/report.html" >/dev/null || true)
  browse report "file://$work/report.html"
  # What a browser says while the site is served, and after a stylesheet changed.
  if wanted serve; then
    visit="chromium --headless --no-sandbox --disable-gpu --user-data-dir=$work/visitor --virtual-time-budget=6000 --screenshot=$work/visit.png http://127.0.0.1:8123"
    in=$work/muddled shot serve "echo '$ merry serve --port 8123'; merry serve --port 8123 & sleep 1; for page in tides crews/index; do $visit/\$page.html >/dev/null 2>&1; done; echo '/* high water */' >>css/club.css; sleep 1; kill \$!; wait \$! 2>/dev/null"
  fi
  in=$work/muddled shot look "$(try 'merry look')"
  if wanted looks; then
    mkdir "$work/looked" && cp -r "$work/played/site" "$work/looked/site"
    (cd "$work/looked/site" && merry look --save before >/dev/null && sed -i 's/\.bw-callout{/.bw-call{/' css/brinework.min.css && sed -i 's/^h1 {/h1 { letter-spacing: 1px;/' css/club.css && merry look --against before --report "$work/looks.html" index.html >/dev/null || true)
    browse looks "file://$work/looks.html"
  fi
fi
