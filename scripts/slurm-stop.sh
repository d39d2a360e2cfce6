#!/usr/bin/env bash
# slurm-stop.sh DIR: ends the cluster of slurm-start.sh: its jobs, then just the processes whose numbers stand in DIR.
dir=$(cd "${1:?folder}" && pwd)
export SLURM_CONF=$dir/slurm.conf PATH=$PATH:/usr/sbin
timeout 5 scancel -u "$(id -un)" 2>/dev/null
for _ in $(seq 1 50); do
    [ -z "$(timeout 5 squeue -h -t R,CG 2>/dev/null)" ] && break
    sleep 0.2
done
pids=$(cat "$dir"/slurmd-*.pid "$dir/slurmctld.pid" "$dir/munge/pid" 2>/dev/null)
alive() {
    for pid in $pids; do
        case $(ps -o stat= -p "$pid") in '' | Z*) ;; *) echo "$pid" ;; esac
    done
}
# shellcheck disable=SC2046
kill $(alive) 2>/dev/null
for _ in $(seq 1 50); do
    [ -z "$(alive)" ] && exit 0
    sleep 0.1
done
# shellcheck disable=SC2046
kill -9 $(alive)
