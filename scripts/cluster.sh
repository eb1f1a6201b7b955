#!/bin/sh
# Builds a real control plane (etcd, API server, controller manager, scheduler) from
# the module proxy, for tests on loopback. Cold it takes a quarter of an hour on two
# cores and 4 GB of Go's build cache; what is built already is left.
# Usage: cluster.sh FOLDER [kubelet]
set -eu
into=$(mkdir -p "$1" && cd "$1" && pwd)
cd "$(dirname "$0")/../test/cluster"
version=v1.37.2
stamp="$into/.built-$(cksum go.mod go.sum | cksum | cut -d' ' -f1)"
[ -e "$stamp" ] && { [ "${2:-}" = "" ] || [ -e "$into/$2" ]; } && exit 0
flags="-s -w -X k8s.io/component-base/version.gitVersion=$version -X k8s.io/component-base/version.gitMajor=1 -X k8s.io/component-base/version.gitMinor=37"
echo "cluster: building etcd and Kubernetes $version, which takes a while the first time" >&2
export CGO_ENABLED=0
go build -trimpath -ldflags "$flags" -o "$into/etcd" go.etcd.io/etcd/server/v3
for name in kube-apiserver kube-controller-manager kube-scheduler ${2:-}; do
	go build -trimpath -ldflags "$flags" -o "$into/$name" "k8s.io/kubernetes/cmd/$name"
done
rm -f "$into"/.built-*
touch "$stamp"
