#!/bin/sh
# Brings together what real nodes on this machine are made of, beside the control plane: a kubelet
# from the module proxy; containerd, runc, network plugins and a static shell from Debian's packages,
# unpacked and not installed, so that no service starts; and the tests' own registry.
# Usage: nodes.sh FOLDER
set -eu
into=$(mkdir -p "$1" && cd "$1" && pwd)
here=$(cd "$(dirname "$0")/.." && pwd)
"$here/scripts/cluster.sh" "$into" kubelet
if [ ! -e "$into/pkg/.unpacked" ]; then
	command -v apt-get >/dev/null 2>&1 || { echo "nodes: not a Debian machine; containerd, runc and network plugins come from its packages" >&2; exit 1; }
	rm -rf "$into/pkg" "$into/debs"
	mkdir -p "$into/pkg" "$into/debs"
	[ "$(id -u)" -ne 0 ] || apt-get update -qq
	(cd "$into/debs" && apt-get download -qq containerd runc containernetworking-plugins busybox-static 2>/dev/null)
	for deb in "$into"/debs/*.deb; do
		dpkg-deb -x "$deb" "$into/pkg"
	done
	rm -rf "$into/debs"
	touch "$into/pkg/.unpacked"
fi
export CGO_ENABLED=0
(cd "$here" && go build -trimpath -tags nomsgpack -ldflags '-s -w' -o "$into/tachyphor" ./cmd/tachyphor)
for name in burn depot pause; do
	(cd "$here/tools/image" && go build -trimpath -ldflags '-s -w' -o "$into/$name" "./$name")
done
