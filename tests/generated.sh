#!/usr/bin/env bash
# The API's types and the set-up schema are generated: they must be what the code gives now.
set -euo pipefail
here=$(cd "$(dirname "$0")/.." && pwd)
export PYTHONPATH="$here/src"
fresh=$(mktemp -d)
trap 'rm -rf "$fresh"' EXIT
"$here/.venv/bin/python" -m tidybench.cli openapi >"$fresh/both.json"
"$here/.venv/bin/python" - "$fresh" <<'PY'
import json, sys
from pathlib import Path
folder = Path(sys.argv[1])
both = json.loads((folder / "both.json").read_text())
for part, name in (("api", "openapi.json"), ("set-up", "set-up.schema.json")):
    (folder / name).write_text(json.dumps(both[part], indent=1, ensure_ascii=False) + "\n")
PY
(cd "$here/frontend" && npx --no-install openapi-typescript "$fresh/openapi.json" -o "$fresh/schema.d.ts" >/dev/null 2>&1)
# The client's own types know arrays and no pairs: where both meet, whether they fit hangs on the order of files.
perl -0pi -e 's/\[\s*number,\s*number\s*\]/number[]/g' "$fresh/schema.d.ts"
if [ "${1:-}" = --write ]; then
  cp "$fresh/openapi.json" "$here/frontend/openapi.json"
  cp "$fresh/schema.d.ts" "$here/frontend/src/api/schema.d.ts"
  cp "$fresh/set-up.schema.json" "$here/docs/formats/set-up.schema.json"
  exit
fi
for pair in openapi.json:frontend/openapi.json schema.d.ts:frontend/src/api/schema.d.ts set-up.schema.json:docs/formats/set-up.schema.json; do
  cmp -s "$fresh/${pair%%:*}" "$here/${pair#*:}" || {
    echo "${pair#*:} is not what the code gives now: run tests/generated.sh --write" >&2
    exit 1
  }
done
