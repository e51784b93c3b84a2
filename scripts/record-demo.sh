#!/usr/bin/env bash
# Remakes the demo's recordings by really running the demo programs. Needs a JDK and Node.js.
set -euo pipefail
demo="$(cd "$(dirname "$0")/.." && pwd)/crates/yarrowgraph/demo"
classes=$(mktemp -d)
trap 'rm -rf "$classes"' EXIT
for variant in as-it-was reordered refactored; do
  javac -d "$classes/$variant" "$demo/java/$variant"/marlwend/*.java
  YARROWGRAPH_RECORDING="$demo/recordings/$variant.jsonl" java -cp "$classes/$variant" marlwend.Flight >/dev/null
  echo "recordings/$variant.jsonl: $(wc -l <"$demo/recordings/$variant.jsonl") lines"
done
# when something happened differs from run to run, and is never compared
for variant in as-it-was with-orders links-swapped; do
  YARROWGRAPH_RECORDING="$classes/run.jsonl" node "$demo/javascript/passage/$variant/passage.cjs" >/dev/null
  sed -E 's/"at":[0-9]+,//' "$classes/run.jsonl" >"$demo/recordings/passage-$variant.jsonl"
  echo "recordings/passage-$variant.jsonl: $(wc -l <"$demo/recordings/passage-$variant.jsonl") lines"
done
