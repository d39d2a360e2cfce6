//! Programs that misbehave in each way that a pipe allows.

use super::through;
use super::watched::{Must, watched};
use crate::remote::program;
use crate::util::Yard;
use Must::{Fail, Pass};

/// The sound engine, whose answers go through `sed`.
fn answers(yard: &Yard, name: &str, edit: &str) -> String {
    yard.write(name, &format!("{} serve-engine | sed -u '{edit}'\n", program()));
    format!("cmd:sh {name}")
}

/// A script of its own.
fn script(yard: &Yard, name: &str, text: &str) -> String {
    yard.write(name, &text.replace("ENGINE", &format!("{} serve-engine", program())));
    format!("cmd:sh {name}")
}

#[test]
fn programs_that_die_hang_or_babble() {
    let yard = Yard::new();
    for (name, text, limits, must) in [
        ("ends.sh", "exit 0", "", Fail("no answer to")),
        (
            "fails.sh",
            "echo the crane is stuck >&2; exit 7",
            "",
            Fail("exit status: 7; its log ends: the crane is stuck"),
        ),
        ("aborts.sh", "kill -ABRT $$", "", Fail("signal 6 (SIGABRT)")),
        ("killed.sh", "kill -KILL $$", "", Fail("signal 9 (SIGKILL)")),
        ("stops.sh", "kill -STOP $$", "start=0.5", Fail("no answer in 0.5 s")),
        ("deaf.sh", "trap '' TERM INT HUP; sleep 1000; sleep 1000", "start=0.5", Fail("no answer in 0.5 s")),
        ("closes.sh", "exec >&-; sleep 1000", "start=20", Fail("it closed its output")),
        ("shuts.sh", "exec <&- >&- 2>&-; sleep 1000", "start=20", Fail("it closed its output")),
        ("blank.sh", "while read -r l; do echo; done", "", Fail("to `hello` it said ``")),
        ("brackets.sh", "read -r l; yes '[' | head -c 100000 | tr -d '\\n'; echo", "", Fail("to `hello` it said `[[[")),
        ("word.sh", "while read -r l; do echo '\"yes\"'; done", "", Fail("to `hello` it said `\"yes\"`")),
        ("empty.sh", "while read -r l; do echo '{}'; done", "", Fail("it answered call null")),
        ("null.sh", "read -r l; echo '{\"id\":1,\"result\":null}'; sleep 9", "", Fail("to `hello`")),
        ("half.sh", "printf '{\"id\":1,'; exit", "", Fail("half a line")),
        ("slow.sh", "printf '{\"id\":1,'; sleep 1000", "start=0.5", Fail("no answer in 0.5 s")),
        (
            "old.sh",
            "read -r l; echo '{\"id\":1,\"result\":{\"protocol\":9,\"engine\":{\"name\":\"x\"}}}'; sleep 9",
            "",
            Fail("version 9 of the protocol"),
        ),
        (
            "nameless.sh",
            "read -r l; echo '{\"id\":1,\"result\":{\"protocol\":1}}'; sleep 9",
            "",
            Fail("missing field `engine`"),
        ),
        ("escape.sh", "read -r l; printf '\\033]0;gotcha\\007\\n'; sleep 9", "", Fail("u{1b}")),
        ("log.sh", "yes the winch squeals | head -c 50000000 >&2; exec ENGINE", "start=30", Pass("")),
        ("wide.sh", "head -c 30000000 /dev/zero | tr '\\0' x >&2; exec ENGINE", "start=30", Pass("")),
        ("endless.sh", "yes | tr -d '\\n'", "start=30", Fail("a line of more than 16777216 bytes")),
    ] {
        watched(&yard, &script(&yard, name, text), limits, &[], &must);
    }
    watched(&yard, "cmd:./no-such-engine", "", &[], &Fail("cannot be started"));
    // Every call is late, but none beyond its own limit.
    let late = through(&yard, "late.sh", "[ $n -gt 2 ] && sleep 0.3");
    watched(&yard, &late, "step=5,trial=0.7", &["--dt", "1/240"], &Fail("the trial took its 0.7 s"));
}

#[test]
fn answers_that_lie() {
    let yard = Yard::new();
    let contact = |row: &str| format!("s/\"contacts\":\\[\\]/\"contacts\":[{row}]/2");
    let rows: Vec<(String, Must<'_>)> = vec![
        (contact("[1,1,0,0,0,1,0,1,1]"), Fail("has its bodies in the order 1, 1")),
        (contact("[1,0,0,0,0,1,0,1,1]"), Fail("has its bodies in the order 1, 0")),
        (contact("[0,7,0,0,0,1,0,1,1]"), Fail("contact")),
        (contact("[0,1e300,0,0,0,1,0,1,1]"), Fail("a contact of no bodies")),
        (contact("[0.5,1,0,0,0,1,0,1,1]"), Fail("a contact of no bodies")),
        (contact("[0,1,0,0,3,1,0,1,1]"), Fail("normal")),
        (contact("[0,1,0,0,\"nan\",1,0,1,1]"), Fail("normal")),
        (contact("[0,1]"), Fail("a contact of 2 numbers")),
        (contact("[],[],[]"), Fail("a contact of 0 numbers")),
        (
            "s/\"events\":\\[\\]/\"events\":[{\"step\":1,\"kind\":\"enter\",\"sensor\":[9,9],\"other\":[0,0]}]/2"
                .to_owned(),
            Fail("an event"),
        ),
        (
            "s/\"events\":\\[\\]/\"events\":[{\"step\":1,\"kind\":\"blink\",\"sensor\":[0,0],\"other\":[1,0]}]/2"
                .to_owned(),
            Fail("an event of the kind `blink`"),
        ),
        ("s/\"state\":\\[0.0,/\"state\":[/2".to_owned(), Fail("11 numbers in the state of frame")),
        ("s/\"state\":\\[0.0,/\"state\":[1e999,/2".to_owned(), Fail("number out of range")),
        ("s/\"state\":\\[0.0,-0.5/\"state\":[0.0,\"nan\"/2".to_owned(), Fail("is not finite")),
        ("s/\"state\":\\[0.0,/\"state\":[\"inf\",/2".to_owned(), Fail("is not finite")),
        ("s/\"state\":\\[0.0,/\"state\":[{},/2".to_owned(), Fail("to `advance` it said")),
        ("s/\"step\":5,/\"step\":6,/".to_owned(), Fail("frame 6 where frame 5 is due")),
        ("s/\"step\":5,/\"step\":18446744073709551615,/".to_owned(), Fail("where frame 5 is due")),
        (
            "s/{\"step\":64,/{\"step\":64,\"state\":[]},{\"step\":64,/".to_owned(),
            Fail("0 numbers in the state of frame 64"),
        ),
        ("s/\"frames\":\\[.*/\"frames\":[]}}/".to_owned(), Fail("0 frames for 0 steps")),
        ("s/\"bodies\":2/\"bodies\":1/".to_owned(), Fail("it built 1 bodies of 2")),
        ("s/\"bodies\":2/\"bodies\":\"all of them\"/".to_owned(), Fail("it built \"all of them\" bodies of 2")),
        ("s/^\\(.*\"id\":2,.*\\)$/\\1\\n\\1/".to_owned(), Fail("to call 3 (`advance`) it answered call 2")),
        (
            "s/\"id\":3,\"result\":.*/\"id\":3,\"error\":{\"code\":-32603,\"message\":\"the winch broke\"}}/"
                .to_owned(),
            Fail("error -32603: the winch broke"),
        ),
        ("s/\"id\":3,\"result\":.*/\"id\":3}/".to_owned(), Fail("neither a result nor an error")),
        ("s/\"name\":\"builtin\"/\"name\":\"\\\\u001b[31mred\"/".to_owned(), Pass("")),
    ];
    for (number, (edit, must)) in rows.iter().enumerate() {
        watched(&yard, &answers(&yard, &format!("lie{number}.sh"), edit), "", &[], must);
    }
}

#[test]
fn answers_that_fill_memory() {
    let yard = Yard::new();
    let filler = |what: &str, count: u32| {
        let many = format!("yes '{what}' | head -n {count} | tr -d '\\n'");
        format!(
            "ENGINE | while IFS= read -r l; do n=$((n+1)); if [ $n -eq 3 ]; then printf '%s' '{{\"id\":3,\"result\":{{\"frames\":[{{\"step\":0,\"state\":[0],\"contacts\":['; {many}; printf '[]]}}]}}}}\\n'; else printf '%s\\n' \"$l\"; fi; done"
        )
    };
    for (name, text, limits, must) in [
        ("contacts.sh", filler("[],", 5_000_000), "", Fail("1 numbers in the state of frame 0")),
        ("beyond.sh", filler("[0],", 20_000_000), "step=20", Fail("a line of more than")),
        (
            "grows.sh",
            "x=y; while :; do x=$x$x; done".to_owned(),
            "start=30,memory=200MB",
            Fail("200000000 bytes are its limit"),
        ),
        (
            "family.sh",
            "for i in 1 2 3 4; do (head -c 60000000 /dev/zero | tail -c 60000000 | sleep 20) & done; wait".to_owned(),
            "start=30,memory=150MB",
            Fail("150000000 bytes are its limit"),
        ),
        (
            "address.sh",
            "x=$(head -c 400000000 /dev/zero | tr '\\0' x); echo $x".to_owned(),
            "start=30,address-space=100MB",
            Fail("its address space was limited to 100000000 bytes"),
        ),
    ] {
        watched(&yard, &script(&yard, name, &text), limits, &[], &must);
    }
}

#[test]
fn processes_that_will_not_be_ended() {
    let yard = Yard::new();
    let linux = cfg!(target_os = "linux");
    let left = if linux { "it left 1 process behind (sleep), 1 of them in a process group apart; ended" } else { "" };
    // The bomb ends by itself at some two thousand processes, for machines that give no control groups.
    for (name, text, limits, must) in [
        ("apart.sh", "setsid sleep 1000 & exec ENGINE", "", Pass(left)),
        ("twice.sh", "(setsid sh -c 'sleep 1000 & exit' &); exec ENGINE", "", Pass(if linux { "behind" } else { "" })),
        ("hidden.sh", "(setsid sleep 1000 &) ; sleep 1000", "start=0.5", Fail("no answer in 0.5 s")),
        (
            "child.sh",
            "sleep 1000 & exec ENGINE",
            "",
            Pass(if linux { "it left 1 process behind (sleep); ended" } else { "" }),
        ),
        ("orphan.sh", "(trap '' TERM HUP; setsid sleep 1000 &); exit 3", "", Fail("exit status: 3")),
        ("keeper.sh", "kill -9 $PPID; sleep 1000", "start=0.5", Fail("no answer")),
        (
            "many.sh",
            "for i in $(seq 40); do sleep 1000 & done; wait",
            "start=20,processes=20",
            Fail("20 processes are its limit"),
        ),
        (
            "bomb.sh",
            "f() { [ $1 -lt 9 ] && { f $(($1 + 1)) | f $(($1 + 1)) & }; sleep 1000; }; f 0",
            "start=30",
            Fail("256 processes are its limit"),
        ),
    ] {
        // Processes that leave their group are found on Linux only, and bombs held by it alone.
        if linux || !matches!(name, "hidden.sh" | "orphan.sh" | "many.sh" | "bomb.sh") {
            watched(&yard, &script(&yard, name, text), limits, &[], &must);
        }
    }
}

#[test]
fn a_version_that_changes_is_told() {
    let yard = Yard::new();
    let text = "echo x >> starts; v=$(wc -l < starts); ENGINE | sed -u \"s/\\\"version\\\":\\\"[^\\\"]*\\\"/\\\"version\\\":\\\"$((v))\\\"/\"";
    let engine = script(&yard, "versions.sh", text);
    let must =
        Pass("one process of it called itself `builtin 1`, another `builtin 2`: results may not belong together");
    watched(&yard, &engine, "", &["--fresh", "--dt", "1/60,1/120", "--jobs", "1"], &must);
}
