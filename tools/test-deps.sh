#!/usr/bin/env bash
# Installs the Debian packages that the tests need: a C compiler (for the race detector), a browser, and independent peers
# for the protocols.
set -euo pipefail
packages=(gcc libc6-dev
  chromium fonts-dejavu-core fonts-liberation
  netconfd netconfd-module-ietf-interfaces netconfd-module-ietf-system openssh-server
  python3-ncclient python3-aiosmtpd libyang2-tools iproute2 freeradius snmptrapd snmp tshark)
missing=()
for p in "${packages[@]}"; do
  dpkg-query -W -f '${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p")
done
[ ${#missing[@]} -eq 0 ] && exit 0
sudo=(); [ "$(id -u)" -eq 0 ] || sudo=(sudo)
echo "installing ${missing[*]}"
"${sudo[@]}" apt-get update -q
DEBIAN_FRONTEND=noninteractive "${sudo[@]}" apt-get install -yq --no-install-recommends "${missing[@]}"
