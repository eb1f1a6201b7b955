#!/bin/sh
# Installs what building, running and testing needs and is not there yet: Debian
# packages by name, without starting any system service. Usage: setup.sh run|test|arm64
set -eu

need=""
want() { # program, package
	command -v "$1" >/dev/null 2>&1 || [ -x "/usr/sbin/$1" ] || need="$need $2"
}

for tool in go node npm; do
	command -v "$tool" >/dev/null 2>&1 || {
		echo "setup: $tool is not installed; Go 1.26, Node 20 and make are needed first" >&2
		exit 1
	}
done
want mariadbd mariadb-server-core
want mariadb-install-db mariadb-server-core
want my_print_defaults mariadb-client-core
want mariadb-dump mariadb-client
if [ "${1:-run}" = test ]; then
	want chromium-headless-shell chromium-headless-shell
	want prometheus prometheus
	want systemd-analyze systemd
	[ -d /usr/share/fonts/truetype/dejavu ] || need="$need fonts-dejavu-core"
fi
if [ "${1:-run}" = arm64 ]; then
	want qemu-aarch64-static qemu-user-static
fi
need=$(printf '%s\n' $need | sort -u | tr '\n' ' ')
[ -n "$(printf '%s' "$need" | tr -d ' ')" ] || exit 0

if [ "$(id -u)" -eq 0 ]; then
	sudo=""
elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
	sudo="sudo"
else
	echo "setup: these Debian packages are missing and I may not install them: $need" >&2
	echo "setup: ask someone with the rights to run: apt-get install --no-install-recommends $need" >&2
	exit 1
fi
command -v apt-get >/dev/null 2>&1 || {
	echo "setup: not a Debian machine; install what these packages hold: $need" >&2
	exit 1
}
echo "setup: installing $need" >&2
export DEBIAN_FRONTEND=noninteractive
# No service is started: a policy of this call alone says no to every start.
policy=/usr/sbin/policy-rc.d
made=""
if [ ! -e "$policy" ]; then
	printf '#!/bin/sh\nexit 101\n' | $sudo tee "$policy" >/dev/null && $sudo chmod +x "$policy" && made=yes
fi
trap '[ -z "$made" ] || $sudo rm -f "$policy"' EXIT
$sudo apt-get update -qq
# shellcheck disable=SC2086
$sudo apt-get install -y -qq --no-install-recommends $need >/dev/null
