#!/usr/bin/env bash
# Compares ways of using negation on the demo reviews: the table of docs/negation.md.
#
#   benches/negation.sh          needs jq
#
# HEDDLE names a program that is built already.
#
# Each line is a cross-validation with the same folds, everything refitted in each.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -n "${HEDDLE:-}" ] || cargo build --release --quiet
heddle=${HEDDLE:-$PWD/target/release/heddle}
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
"$heddle" demo "$folder/demo" > /dev/null
cd "$folder/demo"
# The log loss of each review, in the order of the file.
losses() { jq -r 'if .truth == "positive" then .p_positive else .p_negative end | -log' "$1"; }
validate() { "$heddle" validate run/training.csv --study study.toml --ledger none --json "$@"; }
validate --out usual.jsonl > /dev/null
losses usual.jsonl > usual.txt
echo '| settings | accuracy | ROC area | log loss, in nats | log loss minus that of the default, paired |'
echo '|---|---|---|---|---|'
figure() { echo ".figures.$1.value, .figures.$1.low, .figures.$1.high"; }
compare() {
  local sets=()
  for set in "$@"; do case $set in *.*=*) sets+=(--set "$set");; *) sets+=(--set "negation.$set");; esac; done
  validate "${sets[@]}" --out other.jsonl |
    jq -r "[$(figure accuracy), $(figure roc_area), $(figure log_loss)] | @tsv" > figures.txt
  losses other.jsonl | paste - usual.txt |
    awk '{ d = $1 - $2; n++; sum += d; squares += d * d }
      END { mean = sum / n; half = 1.96 * sqrt((squares / n - mean * mean) / (n - 1))
            printf "%+.4f (%+.4f – %+.4f)", mean, mean - half, mean + half }' > paired.txt
  awk -v name="$(printf '`%s` ' "$@")" -v paired="$(cat paired.txt)" '{
      printf "| %s| %.1f %% (%.1f – %.1f) | %.3f (%.3f – %.3f) | %.3f (%.3f – %.3f) | %s |\n",
        name, $1 * 100, $2 * 100, $3 * 100, $4, $5, $6, $7, $8, $9, paired }' figures.txt
}
compare scope=clause style=flip
compare style=mark
compare style=both
compare phrases=keep
compare style=mark phrases=keep
compare cues=drop
compare prefixes=read
compare concessions=keep
compare wishes=keep
compare terms.marked_scale=1
compare concessions=keep wishes=keep terms.marked_scale=1
compare 'edition="2"'
compare scope=off
compare scope=sentence
compare scope=window
