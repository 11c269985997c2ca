#!/usr/bin/env bash
# Runs all tests with the race detector, and tells the ten that took longest. What the detector makes too dear to try in full is tried without it after that.
#
# SQLite is C that was translated to Go: it is left out of the detector, which finds nothing in it and makes it some fifteen times slower.
set -euo pipefail
cd "$(dirname "$0")/.."
sum=(go run gotest.tools/gotestsum@v1.13.0)
log=$(mktemp)
trap 'rm -f "$log"' EXIT
export EVERYPOST_PROGRAM=${EVERYPOST_PROGRAM:-$PWD/bin/everypost}
ended=0
"${sum[@]}" --format pkgname --jsonfile "$log" -- -race '-gcflags=modernc.org/sqlite/lib=-race=false' -parallel 4 -timeout 25m "${@:-./...}" || ended=$?
echo "The ten slowest:"
"${sum[@]}" tool slowest --num 10 --threshold 1s --jsonfile "$log"
[ $ended -eq 0 ] || exit $ended
go test -run 'TestMemoryAndSQLPickTheSame|TestWhatTheGuardsPassCutsNobodyOff|TestAMonthIsLivedThroughAndWrittenDown|TestADayPasses|TestTrafficAddsUp|TestAHostileFile|TestKilledService' \
  ./internal/store ./internal/driver/netconf ./internal/standin ./internal/service/settingsfile ./test/kill
