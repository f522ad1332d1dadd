#!/usr/bin/env bash
# How fast a served model answers, and whether its memory stays, beside a reply of the same server that costs no work.
#
#   benches/serve.sh PROGRAM [SECONDS]    the program, built with --release --features serve; seconds of each run, 10 by default
#
# Needs wrk (a Debian package). Client and server share the machine: on two cores each has about one. With a pause, each of
# 1,000 clients waits a random time between its requests, so that they come one by one and not in waves.
set -euo pipefail
program=$(realpath "${1:?the program, built with --release --features serve}"); seconds=${2:-10}
work=$(mktemp -d); server=
trap '[ -n "$server" ] && kill "$server"; rm -rf "$work"' EXIT
"$program" demo "$work/demo" >/dev/null 2>&1
python3 - "$work" <<'P'
import csv, json, sys
with open(f"{sys.argv[1]}/demo/new-reviews.csv") as rows:
    texts = [row["review"] for row in csv.DictReader(rows)][:100]
print(f"reviews of {sum(map(len, texts)) / len(texts):.0f} letters on average")
for name, sent in [("one", texts[:1]), ("hundred", texts)]:
    json.dump({"reviews": sent}, open(f"{sys.argv[1]}/{name}.json", "w"))
P
cat > "$work/ask.lua" <<'L'
local name, pause = os.getenv("BODY"), tonumber(os.getenv("PAUSE") or "0")
if name ~= "" then
  wrk.method, wrk.headers["Content-Type"] = "POST", "application/json"
  local file = io.open(name); wrk.body = file:read("*a"); file:close()
end
if pause > 0 then function delay() return math.random(0, 2 * pause) end end
L
"$program" serve "$work/demo/run/model.heddle" --address 127.0.0.1:0 --quiet --json >"$work/begun" &
server=$!
for _ in $(seq 100); do address=$(grep -o 'http://[0-9.:]*' "$work/begun") && break; sleep 0.1; done
ask() { # clients, pause, body, path
  BODY=$3 PAUSE=$2 wrk -t1 -c"$1" -d"$seconds" --latency -s "$work/ask.lua" "$address$4" \
    | awk '/99%/ {tail = $2} /Requests\/sec/ {rate = $2} /Non-2xx|Socket errors/ {bad = "  " $0} END {print rate, "requests a second, 99 % within", tail bad}'
}
memory() { awk '/VmRSS/ {printf "%.0f MB", $2 / 1024}' "/proc/$server/status"; }
echo "hundred reviews a request, 8 clients: $(ask 8 0 "$work/hundred.json" /score)"
echo "one review, 1,000 clients, 0.1 s of pause: $(ask 1000 100 "$work/one.json" /score)"
echo "no work, 1,000 clients, 0.1 s of pause: $(ask 1000 100 "" /health/live)"
echo "one review, 1,000 clients, no pause: $(ask 1000 0 "$work/one.json" /score)"
echo "no work, 1,000 clients, no pause: $(ask 1000 0 "" /health/live)"
echo "memory: $(memory)"
for _ in 1 2 3; do ask 1000 0 "$work/one.json" /score >/dev/null; echo "after as many again: $(memory)"; done
