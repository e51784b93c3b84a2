#!/usr/bin/env bash
# Remakes the demo's recordings by really running the demo programs. Needs a JDK.
set -euo pipefail
demo="$(cd "$(dirname "$0")/.." && pwd)/crates/yarrowgraph/demo"
classes=$(mktemp -d)
trap 'rm -rf "$classes"' EXIT
for variant in as-it-was reordered refactored; do
  javac -d "$classes/$variant" "$demo/java/$variant"/marlwend/*.java
  YARROWGRAPH_RECORDING="$demo/recordings/$variant.jsonl" java -cp "$classes/$variant" marlwend.Flight >/dev/null
  echo "recordings/$variant.jsonl: $(wc -l <"$demo/recordings/$variant.jsonl") lines"
done
