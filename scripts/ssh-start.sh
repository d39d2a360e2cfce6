#!/usr/bin/env bash
# ssh-start.sh DIR: two "hosts", node1 and node2, on the loopback interface of this machine, each a server of its own inside DIR with throw-away keys.
# DIR/bin/ssh knows them; ssh-stop.sh DIR ends them. It takes sshd, ssh and ssh-keygen (Debian: openssh-server openssh-client). Ends with 2 where
# they are missing.
set -euo pipefail
mkdir -p "${1:?folder}"
dir=$(cd "$1" && pwd)
chmod 700 "$dir"
export PATH=$PATH:/usr/sbin
for tool in sshd ssh ssh-keygen python3; do
    command -v "$tool" >/dev/null || { echo "no $tool on this machine" >&2; exit 2; }
done
[ "$(id -u)" != 0 ] || mkdir -p /run/sshd
for key in host key; do ssh-keygen -q -t ed25519 -N '' -f "$dir/$key"; done
cp "$dir/key.pub" "$dir/authorized"
mkdir "$dir/bin"
port=$(python3 -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])')
for number in 1 2; do
    echo "[127.0.0.$number]:$port $(cut -d' ' -f1,2 "$dir/host.pub")" >> "$dir/known"
    cat >> "$dir/config" <<CONF
Host node$number
    HostName 127.0.0.$number
    Port $port
    IdentityFile $dir/key
    IdentitiesOnly yes
    UserKnownHostsFile $dir/known
    BatchMode yes
CONF
    "$(command -v sshd)" -f /dev/null -o ListenAddress="127.0.0.$number:$port" -o HostKey="$dir/host" -o PidFile="$dir/sshd$number.pid" \
        -o AuthorizedKeysFile="$dir/authorized" -o PasswordAuthentication=no -o KbdInteractiveAuthentication=no \
        -o UsePAM=no -o StrictModes=no -E "$dir/sshd$number.log"
done
printf '#!/bin/sh\nexec %s -F %s "$@"\n' "$(command -v ssh)" "$dir/config" > "$dir/bin/ssh"
chmod 755 "$dir/bin/ssh"
