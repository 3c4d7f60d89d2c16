#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Drives a series on several machines at once, by GNU parallel over ssh and rsync:
#
#     parallel.sh ROUTE TRIALS PARTS RESULTS HOST...
#
# Each of the machines has cammino, and the route with its robot and mat at the same place. A part
# whose machine is lost is driven by another one. At the end RESULTS holds all trials, and the table
# is printed; what is missing even then is driven here. CAMMINO names the command, if not cammino;
# SSH what parallel is to call, if not ssh.
set -euo pipefail
[ $# -ge 5 ] || { echo "parallel.sh: ROUTE TRIALS PARTS RESULTS HOST..." >&2; exit 2; }
route=$(realpath "$1") trials=$2 parts=$3 results=$4
shift 4
cammino=${CAMMINO:-cammino}
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT

# A status of 1 says that not all trials completed: the part is whole all the same.
(cd "$folder" && seq "$parts" | parallel --ssh "${SSH:-ssh}" --sshlogin "$(IFS=,; echo "$*")" \
  --retries 3 --workdir ... --return "part-{}.jsonl" --cleanup \
  "$cammino series $route --trials $trials --part {}/$parts --results part-{}.jsonl --quiet || [ \$? -eq 1 ]") || true

find "$folder" -name "part-*.jsonl" -exec cat {} + >>"$results"
echo "the machines have driven $(grep -c '"outcome"' "$results") of $trials trials"
"$cammino" series "$route" --trials "$trials" --results "$results"
