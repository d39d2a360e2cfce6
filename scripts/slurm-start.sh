#!/usr/bin/env bash
# slurm-start.sh DIR [NODES] [CPUS]: a throw-away cluster on this machine, everything inside DIR, on the loopback interface alone, as root or any user.
# Then `. DIR/env` for its commands, and slurm-stop.sh DIR to end it. It takes munge, slurmctld, slurmd and the client's commands
# (Debian: munge slurmctld slurmd slurm-client slurm-wlm-basic-plugins). Ends with 2 where they are missing.
set -euo pipefail
mkdir -p "${1:?folder}"
dir=$(cd "$1" && pwd) nodes=${2:-2} cpus=${3:-1}
export PATH=$PATH:/usr/sbin SLURM_CONF=$dir/slurm.conf
for tool in munged slurmctld slurmd sbatch squeue python3; do
    command -v "$tool" >/dev/null || { echo "no $tool on this machine" >&2; exit 2; }
done
host=$(hostname -s)
case $(getent ahostsv4 "$host" | head -n 1) in
    127.*) ;;
    *)
        # A name of its own that always has such an address.
        if [ "$host" != localhost ] && [ "$(id -u)" = 0 ] && unshare --uts true 2>/dev/null; then
            # shellcheck disable=SC2016
            exec unshare --uts sh -c 'hostname localhost && exec "$0" "$@"' "$0" "$dir" "$nodes" "$cpus"
        fi
        echo "$host must have an address in 127.0.0.0/8 here, so that nothing listens to the outside" >&2
        exit 2
        ;;
esac
mkdir -p "$dir/munge" "$dir/controller" "$dir/log"
chmod 755 "$dir"
chmod 700 "$dir/munge"
[ -s "$dir/munge/key" ] || (umask 077; head -c 128 /dev/urandom > "$dir/munge/key")
read -r -a port < <(python3 - "$nodes" <<'PY'
import socket, sys
sockets = [socket.socket() for _ in range(int(sys.argv[1]) + 1)]
for one in sockets:
    one.bind(("127.0.0.1", 0))
print(*[one.getsockname()[1] for one in sockets])
PY
)
me=$(id -un)
cat > "$SLURM_CONF" <<CONF
ClusterName=quay
SlurmctldHost=$host(127.0.0.1)
SlurmctldPort=${port[0]}
SlurmUser=$me
SlurmdUser=$me
AuthType=auth/munge
AuthInfo=socket=$dir/munge/socket,cred_expire=5
CommunicationParameters=NoInAddrAny,NoCtldInAddrAny
StateSaveLocation=$dir/controller
SlurmdSpoolDir=$dir/spool-%n
SlurmctldPidFile=$dir/slurmctld.pid
SlurmdPidFile=$dir/slurmd-%n.pid
SlurmctldLogFile=$dir/log/slurmctld.log
SlurmdLogFile=$dir/log/slurmd-%n.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
SchedulerParameters=batch_sched_delay=0,sched_interval=2,sched_min_interval=0
SlurmdParameters=config_overrides
PropagateResourceLimits=NONE
ReturnToService=2
SlurmdTimeout=6
KillWait=5
MinJobAge=3600
JobRequeue=1
JobCompType=jobcomp/none
CONF
for node in $(seq 1 "$nodes"); do
    mkdir -p "$dir/spool-node$node"
    echo "NodeName=node$node NodeHostname=$host NodeAddr=127.0.0.1 Port=${port[$node]} CPUs=$cpus RealMemory=1024" >> "$SLURM_CONF"
done
echo "PartitionName=all Nodes=node[1-$nodes] Default=YES MaxTime=INFINITE State=UP" >> "$SLURM_CONF"
echo "export SLURM_CONF=$dir/slurm.conf PATH=\$PATH:/usr/sbin" > "$dir/env"
munged --force --key-file="$dir/munge/key" --socket="$dir/munge/socket" --pid-file="$dir/munge/pid" \
    --log-file="$dir/munge/log" --seed-file="$dir/munge/seed"
slurmctld -c
for node in $(seq 1 "$nodes"); do slurmd -N "node$node"; done
for _ in $(seq 1 150); do
    [ "$(sinfo -h -N -t idle -o %N 2>/dev/null | sort -u | wc -l)" = "$nodes" ] && exit 0
    sleep 0.2
done
tail -n 20 "$dir"/log/*.log >&2
"$(dirname "$0")/slurm-stop.sh" "$dir"
echo "the cluster did not come up" >&2
exit 1
