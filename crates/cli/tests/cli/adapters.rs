//! The sample engines, and the examination that they pass.

use crate::remote::{program, run};
use crate::util::{Yard, has_tool};
use ironspin_c_abi::raw;
use std::process::Command;

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

fn probe(yard: &Yard, engine: &str) -> (i32, String) {
    let (status, out, err) = run(yard, &["engines", "probe", engine, "-q"]);
    (status, format!("{out}{err}"))
}

fn c_sample(yard: &Yard, name: &str) -> String {
    let file = yard.path(&format!("{name}.so")).display().to_string();
    let done = Command::new("cc")
        .args(["-std=c11", "-O2", "-Wall", "-Wextra", "-Werror", "-shared", "-fPIC", "-ffp-contract=off"])
        .args(["-I", &format!("{ROOT}/include"), &format!("{ROOT}/adapters/c/{name}.c"), "-o", &file, "-lm"])
        .status()
        .expect("a C compiler");
    assert!(done.success());
    format!("lib:{file}")
}

#[test]
fn the_built_in_engine_answers_every_question_rightly() {
    let yard = Yard::new();
    let (status, out) = probe(&yard, "builtin");
    assert!(status == 0 && out.contains("103 questions: 103 right, 0 wrong, 0 not asked"), "{out}");
    let (status, out) = probe(&yard, &format!("cmd:{} serve-engine", program()));
    assert!(status == 0 && out.contains("103 right"), "{out}");
}

#[test]
fn the_sample_in_python_passes_for_what_it_lists() {
    if !has_tool("python3", "the sample in Python") {
        return;
    }
    let yard = Yard::new();
    let engine = format!("cmd:python3 '{ROOT}/adapters/python/engine.py'");
    let (status, out) = probe(&yard, &engine);
    assert!(status == 0 && out.contains("59 right, 0 wrong, 44 not asked"), "{out}");
    // What it does not list is not asked of it, and options are checked against what it lists.
    let words = ["run", "first-drop", "ladle-swing", "shape-court", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &words);
    assert!(status == 0 && out.contains("3 trials: 1 pass, 0 fail, 2 unsupported"), "{out}{err}");
    assert!(out.contains("the shape ") && out.contains("joint."), "{out}");
    let (status, out, _) = run(&yard, &["run", "first-drop", "--engine", &format!("{engine} :: pases=3"), "-q"]);
    assert!(status == 3 && out.contains("did you mean `passes`?"), "{out}");
}

#[test]
fn the_sample_in_python_for_space_passes_what_it_lists() {
    if !has_tool("python3", "the sample in Python for space") {
        return;
    }
    let yard = Yard::new();
    let engine = format!("cmd:python3 '{ROOT}/adapters/python/space_engine.py'");
    // Of the questions of the plane it answers those of manners alone.
    let (status, out) = probe(&yard, &engine);
    assert!(status == 0 && out.contains("23 right, 0 wrong, 80 not asked"), "{out}");
    let words = ["run", "solid-drop", "solid-bearings", "solid-tumble", "first-drop", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &words);
    assert!(status == 0 && out.contains("4 trials: 3 pass, 0 fail, 1 unsupported"), "{out}{err}");
    assert!(out.contains("worlds of 2 dimensions"), "{out}");
    let tower =
        ["run", "solid-tower", "--set", "count=4", "--set", "span=3", "--dt", "1/60", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &tower);
    assert!(status == 0 && out.contains("all 4 stand"), "{out}{err}");
    // Frames of its own after a restore, and in a mirror, too.
    let twin = ["twin", "solid-drop", "--by", "again,split,restore,mirror", "--dt", "1/60", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &twin);
    assert!(status == 0, "{out}{err}");
}

#[test]
fn the_sample_in_c_for_space_passes_what_it_lists() {
    let yard = Yard::new();
    let engine = c_sample(&yard, "space_engine");
    let (status, out) = probe(&yard, &engine);
    assert!(status == 0 && out.contains("23 right, 0 wrong, 80 not asked"), "{out}");
    let scenes = ["solid-drop", "solid-bearings", "solid-tumble", "solid-tower", "first-drop"];
    let words = [&["run"], &scenes[..], &["--dt", "1/60", "--engine", &engine, "-q"]].concat();
    let (status, out, err) = run(&yard, &words);
    assert!(status == 0 && out.contains("5 trials: 4 pass, 0 fail, 1 unsupported"), "{out}{err}");
    assert!(out.contains("worlds of 2 dimensions"), "{out}");
    let twin = ["twin", "solid-drop", "--by", "again,split,mirror", "--dt", "1/60", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &twin);
    assert!(status == 0, "{out}{err}");
}

#[test]
fn the_sample_in_python_for_soft_bodies_passes_all_scenes_of_them() {
    if !has_tool("python3", "the sample in Python for soft bodies") {
        return;
    }
    let yard = Yard::new();
    let engine = format!("cmd:python3 '{ROOT}/adapters/python/soft_engine.py'");
    let words = ["run", "--topic", "soft-bodies", "--dt", "1/60", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &words);
    // Those of space it does not list.
    assert!(status == 0 && out.contains("21 trials: 6 pass, 0 fail, 15 unsupported"), "{out}{err}");
    // It knows rigid bodies as before, and what it does not list it is not asked for.
    let (status, out, err) = run(&yard, &["run", "first-drop", "solid-drop", "--engine", &engine, "-q"]);
    assert!(status == 0 && out.contains("2 trials: 1 pass, 0 fail, 1 unsupported"), "{out}{err}");
    let twin = ["twin", "hammer-pad", "--by", "again,split,restore,mirror", "--dt", "1/60", "--engine", &engine, "-q"];
    let (status, out, err) = run(&yard, &twin);
    assert!(status == 0, "{out}{err}");
    // One without the feature is not asked at all.
    let rigid = format!("cmd:python3 '{ROOT}/adapters/python/engine.py'");
    let (_, out, _) = run(&yard, &["run", "bellows-size", "--engine", &rigid, "-q"]);
    assert!(out.contains("1 unsupported"), "{out}");
}

#[test]
fn the_sample_in_c_passes_for_what_it_lists_and_works_with_every_command() {
    let yard = Yard::new();
    let engine = c_sample(&yard, "engine");
    let (status, out) = probe(&yard, &engine);
    assert!(status == 0 && out.contains("58 right, 0 wrong, 45 not asked"), "{out}");
    for (words, due, part) in [
        (&["run", "first-drop", "--engine", "builtin"][..], 0, "2 trials: 2 pass"),
        (
            &["sweep", "first-drop", "--dt", "1/60,1/120", "--engine", "builtin", "--out", "swept"],
            0,
            "4 trials: 4 pass",
        ),
        (&["twin", "first-drop", "--by", "again,process,split,mirror"], 0, "4 twins"),
        (&["cost", "ingot-stack", "--rounds", "1", "--longest", "0.2", "--engine", "builtin"], 0, "c sample"),
        (
            &["edge", "first-drop", "--raise", "height=1..2", "--until", "fall.ratio", "--scan", "3"],
            0,
            "holds everywhere",
        ),
    ] {
        let all = [words, &["--engine", &engine, "-q"]].concat();
        let (status, out, err) = run(&yard, &all);
        assert_eq!(status, due, "{words:?}\n{out}{err}");
        assert!(
            out.contains(part) || words[0] == "cost" || words[0] == "edge",
            "{words:?}: `{part}` not in\n{out}{err}"
        );
    }
}

#[test]
fn the_header_is_one_for_c_and_for_c_plus_plus() {
    let yard = Yard::new();
    let names = ["material", "pair", "part", "body", "joint", "world", "action", "hit"];
    let reported: Vec<String> =
        names.iter().map(|name| format!("printf(\"%zu \", sizeof(ironspin_{name}));")).collect();
    yard.write(
        "use.c",
        &format!(
            "#include \"ironspin_engine.h\"\n#include <stdio.h>\nint main(void) {{ {} return 0; }}\n",
            reported.join(" ")
        ),
    );
    // As many bytes as on the other side of the border.
    let due = [
        size_of::<raw::Material>(),
        size_of::<raw::Pair>(),
        size_of::<raw::Part>(),
        size_of::<raw::Body>(),
        size_of::<raw::Joint>(),
        size_of::<raw::World>(),
        size_of::<raw::Action>(),
        size_of::<raw::Hit>(),
    ];
    for (compiler, language) in [("cc", "c"), ("c++", "c++")] {
        if !has_tool(compiler, "the header in a compiler") {
            continue;
        }
        let built = Command::new(compiler)
            .current_dir(yard.path(""))
            .args([
                "-x",
                language,
                "-Wall",
                "-Wextra",
                "-pedantic",
                "-Werror",
                "-I",
                &format!("{ROOT}/include"),
                "use.c",
                "-o",
                "use",
            ])
            .status()
            .expect("a compiler");
        assert!(built.success(), "{compiler}");
        let reported = Command::new(yard.path("use")).output().expect("the program to start");
        let sizes: Vec<usize> = String::from_utf8_lossy(&reported.stdout)
            .split_whitespace()
            .map(|size| size.parse().expect("a size"))
            .collect();
        assert_eq!(sizes, due, "{compiler}");
    }
}

#[test]
fn mistakes_of_authors_are_named() {
    let yard = Yard::new();
    // The sound engine, with one thing changed in what it is asked or answers.
    let spoilt = |name: &str, asked: &str, answered: &str| {
        let served = format!("{} serve-engine", program());
        yard.write(name, &format!("sed -u '{asked}' | {served} | sed -u '{answered}'\n"));
        format!("cmd:sh {name}")
    };
    let none = "s/^//";
    for (engine, question, hint) in [
        (spoilt("half.sh", r#"s/"box":\[2.0,1.0\]/"box":[4.0,2.0]/g"#, none), "box", "taken for half ones"),
        (
            spoilt("disc.sh", r#"s/"disc":1.0/"disc":0.5/g;s/"disc":0.1/"disc":0.05/g"#, none),
            "disc",
            "taken for the diameter",
        ),
        (spoilt("up.sh", r#"s/"gravity":\[1.0,-2.0\]/"gravity":[1.0,2.0]/"#, none), "gravity", "y is up"),
        (spoilt("mass.sh", r#"s/"mass":3.0/"mass":1.0/g"#, none), "impulse", "the mass is left out"),
        (spoilt("late.sh", r#"s/"before_step":3/"before_step":4/"#, none), "action timing", "one step late"),
        (spoilt("point.sh", r#"s/"point":\[5.0,-1.0\]/"point":[5.0,0.0]/"#, none), "impulse at a point", "is not used"),
        (spoilt("nan.sh", none, r#"s/"nan"/null/g"#), "removal", "not finite"),
        (spoilt("word.sh", none, r#"s/"sensor"/"sensors"/"#), "hello", "did you mean `sensor`?"),
        (spoilt("code.sh", none, "s/-32601/-32600/"), "unknown method", "-32601"),
        (spoilt("zero.sh", none, r#"s/"step":0,/"step":1,/"#), "frame 0", "steps count from 0"),
        (
            spoilt("inertia.sh", r#"s/"inertia":4.0/"inertia":0.125/g"#, none),
            "impulse at a point",
            "inertia of the shape",
        ),
        (
            spoilt("bounce.sh", r#"s/"restitution":0.5/"restitution":0.25/g"#, none),
            "restitution",
            "multiplied in twice",
        ),
        (spoilt("layers.sh", r#"s/"meets":4,/"meets":7,/g"#, none), "layers", "both must want to"),
        (spoilt("rod.sh", r#"s/"kind":"rod"/"kind":"rope"/"#, none), "rod pressed", "it pushes as well as it pulls"),
        (
            spoilt(
                "free.sh",
                r#"s/"kind":"spring","length":1.0,"stiffness":3.0/"kind":"spring","length":1.0,"stiffness":1.5/"#,
                none,
            ),
            "spring between two",
            "sqrt(k (m1 + m2) / (m1 m2))",
        ),
        (spoilt("slippery.sh", r#"s/"friction":0.2/"friction":0.0/"#, none), "friction by shape", "nothing slows it"),
        (spoilt("sizes.sh", r#"s/"box":\[1.0,2.2,3.0\]/"box":[2.0,4.4,6.0]/g"#, none), "box in space", "half ones"),
        (
            spoilt("order.sh", r#"s/"box":\[1.0,2.2,3.0\]/"box":[1.0,3.0,2.2]/g"#, none),
            "box in space",
            "along x, y and z",
        ),
        (
            spoilt("caps.sh", r#"s/"capsule":\[2.0,0.25\]/"capsule":[1.5,0.25]/g"#, none),
            "capsule in space",
            "between the centres of its caps",
        ),
        (
            spoilt("products.sh", r"s/\[2.0,2.0,3.0,0.5,0.0,0.0\]/[2.0,2.0,3.0,-0.5,0.0,0.0]/", none),
            "products of inertia",
            "minus the product of inertia",
        ),
        (
            spoilt("axes.sh", r"s/\[1.0,4.0,5.0,0.0,0.0,0.0\]/[4.0,1.0,5.0,0.0,0.0,0.0]/", none),
            "axes of inertia",
            "along the world's axes",
        ),
        (
            spoilt("hand.sh", r#"s/"impulse":\[0.0,0.0,1.0\]/"impulse":[0.0,0.0,-1.0]/"#, none),
            "hand of the axes",
            "left-handed",
        ),
        (
            spoilt("z.sh", r#"s/"gravity":\[0.0,-10.0,0.0\]/"gravity":[0.0,0.0,-10.0]/"#, none),
            "gravity in space",
            "taken z for up",
        ),
        (
            spoilt("degrees.sh", r#"s/"spin":\[1.0,0.0,0.0\]/"spin":[0.017453292519943295,0.0,0.0]/"#, none),
            "quaternion",
            "not in degrees",
        ),
        (
            spoilt(
                "scalar.sh",
                none,
                r#"s/"state":\[\([^,]*,[^,]*,[^,]*\),\([^,]*\),\([^,]*,[^,]*,[^,]*\),/"state":[\1,\3,\2,/"#,
            ),
            "space as built",
            "the scalar comes first",
        ),
        (
            spoilt("side.sh", r#"s/"half_space":\[0.0,1.0,0.0\]/"half_space":[0.0,-1.0,0.0]/g"#, none),
            "half space",
            "out of the solid",
        ),
        (spoilt("restore.sh", r#"s/"method":"restore"/"method":"save"/"#, none), "restore", "count of steps"),
    ] {
        let (status, out) = probe(&yard, &engine);
        assert_eq!(status, 1, "{engine}\n{out}");
        let at = out
            .find(&format!("WRONG   {question} "))
            .unwrap_or_else(|| panic!("{engine}: `{question}` is not wrong in\n{out}"));
        let answer: String = out[at..]
            .lines()
            .skip(1)
            .take_while(|line| line.starts_with(' '))
            .map(|line| line.trim().to_owned() + " ")
            .collect();
        assert!(answer.contains(hint), "{engine}: `{hint}` not in `{answer}`");
    }
    // A crash over one question is that question's alone.
    let crash = {
        let served = format!("{} serve-engine", program());
        yard.write("crash.sh", &format!("sed -un '/\"method\":\"ray\"/q;p' | {served}\n"));
        probe(&yard, "cmd:sh crash.sh")
    };
    assert!(crash.0 == 1 && crash.1.contains("101 right, 2 wrong"), "{}", crash.1);
}
