#!/usr/bin/env bash
# ssh-stop.sh DIR: ends the servers of ssh-start.sh, by the numbers that stand in DIR.
dir=$(cd "${1:?folder}" && pwd)
# shellcheck disable=SC2046
kill $(cat "$dir"/sshd1.pid "$dir"/sshd2.pid) 2>/dev/null
exit 0
