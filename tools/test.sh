#!/usr/bin/env bash
# Runs all tests with the race detector, and tells the ten that took longest. What the detector makes too dear to try in full is tried without it after that.
#
# SQLite is C that was translated to Go: it is left out of the detector, which finds nothing in it and makes it some fifteen times slower; and it and the
# C library that it stands on are left out of the checks of pointers that come with the detector. What only a debugger reads is left out of the programs, which
# are some sixty; what go vet finds is found by the linters.
set -euo pipefail
cd "$(dirname "$0")/.."
export GOFLAGS=${GOFLAGS:--trimpath} # as the program is built: tests that run the tools find what is built
sum=(go run gotest.tools/gotestsum@v1.13.0)
# Databases of tests need not survive a power cut: in memory nobody waits for a disk.
room=$(mktemp -d)
if [ -d /dev/shm ] && [ "$(df --output=avail -k /dev/shm | tail -1)" -gt 4000000 ]; then
  memory=$(mktemp -d /dev/shm/everypost.XXXXXX)
  printf '#!/bin/sh\n' > "$memory/try" && chmod +x "$memory/try"
  if "$memory/try" 2>/dev/null; then # tests are run from there
    rmdir "$room"
    room=$memory
  else
    rm -rf "$memory"
  fi
fi
trap 'rm -rf "$room"' EXIT
export TMPDIR=$room
log=$room/log.json
export EVERYPOST_PROGRAM=${EVERYPOST_PROGRAM:-$PWD/bin/everypost}
ended=0
"${sum[@]}" --format pkgname --jsonfile "$log" -- -race -vet=off '-ldflags=-s -w' '-gcflags=modernc.org/...=-d=checkptr=0' '-gcflags=modernc.org/sqlite/lib=-race=false -d=checkptr=0' -parallel 2 -timeout 25m "${@:-./...}" || ended=$?
echo "The ten slowest:"
"${sum[@]}" tool slowest --num 10 --threshold 1s --jsonfile "$log"
[ $ended -eq 0 ] || exit $ended
go test -vet=off '-ldflags=-s -w' -run 'TestMemoryAndSQLPickTheSame|TestRecentChangesAreAsTheyAreKept|TestWhatTheGuardsPassCutsNobodyOff|TestAMonthIsLivedThroughAndWrittenDown|TestADayPasses|TestTrafficAddsUp|TestAHostileFile|TestKilledService|TestReachEqualsWhatAFrameDoes|TestReachOnNetworksAsTheyCome|TestWhatIsForetoldToBeLostIsLost|TestNobodyAsksByWhatHeMayNotSee' \
  ./internal/store ./internal/driver/netconf ./internal/standin ./internal/service/settingsfile ./test/kill ./test/policy ./test/rights
