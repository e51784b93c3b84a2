#!/usr/bin/env bash
# Remakes the terminal pictures in docs/screenshots/. Needs xterm, Xvfb, ImageMagick and rsvg-convert.
set -euo pipefail
root="$(cd "$(dirname "$0")/.." && pwd)"
cd "$root"
cargo build --release --locked --quiet
export PATH="$root/target/release:$PATH"
work=$(mktemp -d)
trap 'kill "${server:-0}" 2>/dev/null || true; rm -rf "$work"' EXIT
yarrowgraph demo "$work/marlwend" >/dev/null
Xvfb :93 -screen 0 1400x900x24 >/dev/null 2>&1 &
server=$!
sleep 1

# picture NAME COMMAND: what the command shows at the top of a terminal of about 1280x800
picture() {
  printf '#!/bin/sh\ncd %q\nexport COLORTERM=truecolor TERM=xterm-256color\nclear\nprintf "$ %%s\\n" %q\nset +e\n%s 2>&1 | head -n %d\nsleep 6\n' \
    "$work/marlwend" "$2" "$3" "${4:-46}" >"$work/run.sh"
  DISPLAY=:93 xterm -u8 -fa 'DejaVu Sans Mono' -fs 10 -geometry 158x48+0+0 -bg '#14181c' -fg '#d8d8d0' -b 12 +sb -e sh "$work/run.sh" &
  local terminal=$!
  sleep 3
  DISPLAY=:93 import -window root -crop 1300x810+0+0 "docs/screenshots/$1.png"
  kill "$terminal" 2>/dev/null || true
  wait "$terminal" 2>/dev/null || true
}

mkdir -p docs/screenshots
picture map "yarrowgraph map java/as-it-was" "yarrowgraph --color always map java/as-it-was"
picture chain "yarrowgraph map javascript/passage/as-it-was; yarrowgraph follow Passage.links javascript/passage/as-it-was" \
  "yarrowgraph --color always map javascript/passage/as-it-was; echo; yarrowgraph --color always follow Passage.links javascript/passage/as-it-was"
picture check "yarrowgraph check java/faulty" "yarrowgraph --color always check java/faulty"
picture messages "yarrowgraph check javascript/faulty" "yarrowgraph --color always check javascript/faulty"
picture replay "yarrowgraph replay recordings/as-it-was.jsonl --against recordings/reordered.jsonl" \
  "yarrowgraph --color always replay recordings/as-it-was.jsonl --against recordings/reordered.jsonl"
picture roster "yarrowgraph roster recordings/as-it-was.jsonl" "yarrowgraph --color always roster recordings/as-it-was.jsonl"
picture follow "yarrowgraph follow Passage.ask --in recordings/passage-with-orders.jsonl" \
  "yarrowgraph --color always follow Passage.ask --in recordings/passage-with-orders.jsonl"
picture demo "yarrowgraph demo locks" "yarrowgraph --color always demo locks"
picture init "yarrowgraph init java/faulty -o -" "yarrowgraph init java/faulty -o -"
picture machine "yarrowgraph machine javascript/desk/as-it-was" "yarrowgraph --color always machine javascript/desk/as-it-was"
picture sets-off "yarrowgraph follow Gauge.listeners java/as-it-was; yarrowgraph follow OrderBook.work javascript/desk/as-it-was" \
  "yarrowgraph --color always follow Gauge.listeners java/as-it-was; echo; yarrowgraph --color always follow OrderBook.work javascript/desk/as-it-was"
picture coupling "yarrowgraph map --view coupling java/as-it-was" "yarrowgraph --color always map --view coupling java/as-it-was"
yarrowgraph machine "$work/marlwend/javascript/desk/as-it-was" --format svg | rsvg-convert --width 1280 -o docs/screenshots/machine-picture.png
