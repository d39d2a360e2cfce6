//! Texts of strangers: nothing that a scene, an engine or a result holds is obeyed by a terminal, a spreadsheet or a reader of Markdown.

use crate::look::{browser, seen};
use crate::remote::{program, run};
use crate::util::Yard;

/// Letters that a terminal obeys, or that turn a line.
const OBEYED: [char; 6] = ['\u{1b}', '\u{7}', '\u{9b}', '\u{202e}', '\u{8}', '\u{2066}'];

/// A scene whose texts would clear the screen, turn the line, link and calculate.
const SCENE: &str = r#"scene = 1
name = "yard"
about = "=1+1 \u001b[2J\u202eabout\u0007"
[set]
"lift" = { value = 1, unit = "m\u009b2J", about = "@sum \u001b[31mlift" }
[world]
gravity = [0, -9.81]
duration = 0.5
[material.iron]
density = 10
friction = 0.5
restitution = 0
[[body]]
name = "ball"
shape = { disc = 0.5 }
at = [0, "lift + 5"]
material = "iron"
[[claim]]
gauge = "value.y"
of = "ball"
at_most = 1
because = "-x \u001b]0;title\u0007 [click](https://quay.example) \u2066<img>\nsecond line | cell"
"#;

fn harmless(what: &str, text: &str) {
    let found = text.chars().find(|letter| OBEYED.contains(letter));
    assert!(found.is_none(), "{what} lets {:?} through:\n{text}", found);
}

#[test]
fn no_command_lets_a_scene_speak_to_the_terminal() {
    let yard = Yard::new();
    yard.write("yard.toml", SCENE);
    yard.write(
        "broken.toml",
        &SCENE.replace("duration = 0.5", "duration = \"\u{202e}x\"").replace("friction", "fric\u{9b}tion"),
    );
    yard.write("worse.toml", &SCENE.replace("[world]", "\"\\u001b[31mkey\" = 1\n[world]"));
    for line in [
        "run yard.toml --out run",
        "run yard.toml --format markdown",
        "run yard.toml --format junit",
        "run yard.toml --format csv",
        "run yard.toml --format json",
        "sweep yard.toml --out swept --dt 1/60,1/30",
        "scenes show yard.toml",
        "scenes check yard.toml",
        "twin yard.toml --by again",
        "run broken.toml",
        "run worse.toml",
        "report run --out page.html",
        "compare run swept",
        "edge yard.toml --raise lift=1..3 --until value.y",
    ] {
        let answer = yard.ironspin(line);
        harmless(line, &answer.out);
        harmless(line, &answer.err);
    }
    for file in ["run/trials.csv", "run/result.json", "swept/map.txt", "swept/trials.csv", "swept/result.json"] {
        harmless(file, &yard.read(file));
    }
}

/// An engine whose name is a tag, a link, a row and a formula.
fn named(yard: &Yard) -> String {
    let name =
        r##"=1|2 <img src=x onerror=\\"document.title='taken'\\"> [q](https:\/\/quay.example) ]]>\\u001b[31m\\u202e"##;
    yard.write("named.sed", &format!("s/\"name\":\"builtin\"/\"name\":\"{name}\"/\n"));
    yard.write("named.sh", &format!("{} serve-engine | sed -u -f named.sed\n", program()));
    "cmd:sh named.sh '<b>' '|'".to_owned()
}

/// Reads a text as XML to its end.
fn is_xml(what: &str, text: &str) {
    let mut reader = quick_xml::Reader::from_str(text);
    reader.config_mut().check_end_names = true;
    loop {
        match reader.read_event() {
            Ok(quick_xml::events::Event::Eof) => return,
            Ok(_) => {}
            Err(error) => panic!("{what}: {error} at {}", reader.buffer_position()),
        }
    }
}

#[test]
fn every_output_is_read_back_by_an_ordinary_reader_of_its_format() {
    let yard = Yard::new();
    let because =
        "because = \"</script><script>document.title='taken'</script> ]]> \\u0001 & [q](javascript:x) | x\"\n";
    yard.write(
        "yard.toml",
        &SCENE.replace("because = \"-x", &format!("{because}# \"-x")).replace("unit = \"m", "unit = \"<i>|m"),
    );
    let engine = named(&yard);
    let as_format = |format: &str| {
        let words = ["run", "yard.toml", "--engine", &engine, "--engine", "builtin", "--format", format, "-q"];
        let (status, out, err) = run(&yard, &words);
        assert_eq!(status, 1, "{out}{err}");
        harmless(format, &out);
        out
    };
    is_xml("JUnit", &as_format("junit"));
    let json: serde_json::Value = serde_json::from_str(&as_format("json")).expect("JSON");
    assert_eq!(json["trials"].as_array().map(Vec::len), Some(2));
    let csv_text = as_format("csv");
    let mut rows = csv::Reader::from_reader(csv_text.as_bytes());
    let records: Vec<_> = rows.records().collect::<Result<_, _>>().expect("rows as long as the others");
    assert_eq!(records.len(), 2);
    let mut html = String::new();
    let options = pulldown_cmark::Options::ENABLE_TABLES;
    pulldown_cmark::html::push_html(&mut html, pulldown_cmark::Parser::new_ext(&as_format("markdown"), options));
    for tag in ["<a ", "<img", "<script", "<b>", "<i>"] {
        assert!(!html.contains(tag), "{tag} in\n{html}");
    }
    assert_eq!(html.matches("<table>").count(), html.matches("</table>").count());
    let rows = |part: &str| part.matches("<td").count();
    let tables: Vec<&str> =
        html.split("<tr>").skip(1).map(|row| row.split("</tr>").next().unwrap_or_default()).collect();
    assert!(tables.iter().filter(|row| row.contains("<td")).all(|row| rows(row) == rows(tables[1])), "{html}");

    let (_, out, err) = run(&yard, &["run", "yard.toml", "--engine", &engine, "--out", "run", "-q"]);
    harmless("table", &(out + &err));
    yard.expect(0, "plot run --y value.y --over dt --out plot.svg -q");
    yard.expect(0, "scenes show yard.toml --picture picture.svg");
    is_xml("plot", &yard.read("plot.svg"));
    is_xml("picture", &yard.read("picture.svg"));
    harmless("plot", &yard.read("plot.svg"));
    harmless("page", &yard.read("run/report.html"));
    let Some(browser) = browser() else { return };
    let (dom, said) = seen(browser, &yard.path("run/report.html"));
    assert!(said.is_empty() && !dom.contains("<title>taken"), "{said}");
    assert!(dom.contains("&lt;script&gt;document.title") && !dom.contains("<img src"), "what is shown is text");
}

#[test]
fn cells_of_text_are_no_formulas_and_numbers_read_back() {
    let yard = Yard::new();
    yard.write("yard.toml", SCENE);
    let csv = yard.expect(1, "run yard.toml --format csv -q").out;
    assert!(csv.contains("\"'-x \\u{1b}]0;title"), "{csv}");
    let json: serde_json::Value = serde_json::from_str(&yard.expect(1, "run yard.toml --format json -q").out).unwrap();
    let measured = json["trials"][0]["claims"][0]["measured"].as_f64().unwrap();
    assert!(csv.contains(&format!(",{measured},")), "{measured}\n{csv}");
    assert!(measured > 1.0);
    // JSON reads back as it was written by the scene.
    let because = json["trials"][0]["claims"][0]["because"].as_str().unwrap();
    assert!(because.contains('\u{1b}') && because.contains("[click](https://quay.example)"), "{because}");
    let markdown = yard.expect(1, "run yard.toml --format markdown -q").out;
    assert!(!markdown.contains("](") && !markdown.contains("://") && !markdown.contains("<img"), "{markdown}");
}

#[test]
fn names_are_plain_and_write_nowhere_else() {
    let yard = Yard::new();
    for name in ["../escaped", "a/b", "a\\\\b", "\\u001b[31m", "", ".hidden", "two\\nlines", " x", &"x".repeat(101)] {
        yard.write("yard.toml", &SCENE.replace("name = \"yard\"", &format!("name = \"{name}\"")));
        let refused = yard.expect(2, "scenes copy yard.toml copies");
        assert!(refused.err.contains("is no name for a scene"), "{name}: {}", refused.err);
        harmless(name, &refused.err);
    }
    assert_eq!(yard.names(), ["yard.toml"]);
    let long = "x".repeat(100);
    yard.write("yard.toml", &SCENE.replace("name = \"yard\"", &format!("name = \"{long}\"")));
    yard.expect(1, "run yard.toml --trace traces -q");
    assert_eq!(yard.names_in("traces").len(), 1);
    assert!(yard.expect(2, "scenes new a\"b").err.contains("is no name for a scene"));
}

#[cfg(unix)]
#[test]
fn pipes_and_devices_are_no_input() {
    let yard = Yard::new();
    assert!(std::process::Command::new("mkfifo").arg(yard.path("pipe.toml")).status().unwrap().success());
    std::fs::copy(yard.path("."), yard.path("x")).unwrap_err();
    for line in [
        "run ./pipe.toml",
        "sweep --plan pipe.toml",
        "judge first-drop pipe.toml",
        "run first-drop --engine trace:pipe.toml",
        "run /dev/zero",
        "sweep --plan /dev/zero",
        "compare /dev/zero /dev/zero",
    ] {
        let answer = yard.ironspin(line);
        assert!(answer.status == 2 || answer.status == 3, "{line}: {}\n{}{}", answer.status, answer.out, answer.err);
    }
}

#[cfg(unix)]
#[test]
fn links_within_a_folder_of_results_lead_nowhere_and_the_folder_itself_may_be_one() {
    use std::os::unix::fs::symlink;
    let yard = Yard::new();
    for folder in ["real", "elsewhere", "set"] {
        std::fs::create_dir(yard.path(folder)).expect("a folder");
    }
    symlink(yard.path("real"), yard.path("link")).expect("a link");
    yard.expect(0, "sweep first-drop --out link -q");
    yard.expect(0, "run first-drop --out link/run -q");
    assert!(yard.names_in("real").contains(&"result.json".to_owned()), "{:?}", yard.names_in("real"));
    symlink(yard.path("elsewhere"), yard.path("set/trials")).expect("a link");
    yard.write("set/plan.json", &yard.read("real/plan.json"));
    let answer = yard.expect(2, "sweep first-drop --out set -q");
    assert!(answer.err.contains("is a link"), "{}", answer.err);
    yard.write("precious.txt", "dear");
    symlink(yard.path("precious.txt"), yard.path("still.png")).expect("a link");
    yard.expect(0, "film first-drop --at 0.5 --out still.png --width 100 -q");
    assert_eq!(yard.read("precious.txt"), "dear");
    assert!(yard.names_in("elsewhere").is_empty());
}

#[test]
fn what_would_take_for_ever_is_refused_before_it_begins() {
    let yard = Yard::new();
    yard.write("yard.toml", "plan = 1\nscenes = [\"first-drop\"]\nthreads = [1, 257]\n");
    yard.write("more.toml", "plan = 1\nscenes = [\"first-drop\"]\nrepeat = 10001\n");
    yard.write("most.toml", "plan = 1\nscenes = [\"first-drop\"]\nthreads = [9223372036854775807]\n");
    yard.write(
        "ahead.toml",
        &format!("{SCENE}[[action]]\nat_time = 0.1\non = \"ball\"\nforecast = {{ horizon = 1e9 }}\n"),
    );
    for (line, words) in [
        ("run first-drop --clock bank:1e-9", "the limit is 20000000"),
        ("run first-drop --clock raw:1e12", "the limit is 20000000"),
        ("run first-drop --clock bank:60 --stall 1e9@0", "--max-steps"),
        ("run first-drop --dt 1e-12", "a trial of `first-drop` takes some"),
        ("run first-drop --dt 1/60 --max-steps 10", "the limit is 10"),
        ("sweep --plan yard.toml", "257 is out of range: expected 1 to 256"),
        ("sweep --plan more.toml", "10001 is out of range: expected 1 to 10000"),
        ("sweep --plan most.toml", "expected 1 to 256"),
        ("run ahead.toml", "a forecast of `ahead.toml` takes some"),
        ("film first-drop --at nan", "expected a number of at least 0"),
    ] {
        let refused = yard.expect(2, line);
        assert!(refused.err.contains(words), "{line}\n{}", refused.err);
    }
}

/// A pyramid whose single step takes far longer than anybody waits.
#[cfg(unix)]
#[test]
fn a_signal_ends_what_does_not_come_back_and_keeps_what_is_finished() {
    let yard = Yard::new();
    yard.expect(0, "scenes copy billet-pyramid .");
    // Its first step alone takes far longer than a signal may.
    let heap = yard.read("billet-pyramid.toml");
    let line = heap.lines().find(|line| line.starts_with("base ")).expect("its size").to_owned();
    let size = line.split("value = ").nth(1).and_then(|rest| rest.split(',').next()).expect("a value");
    let larger = line.replace(&format!("value = {size},"), "value = 250,").replace("range = [1, ", "range = [1, 9");
    yard.write("heap.toml", &heap.replace(&line, &larger).replace("name  = \"billet-pyramid\"", "name  = \"heap\""));
    let mut child = std::process::Command::new(program())
        .current_dir(yard.path("."))
        .args("run first-drop heap.toml --max-bodies 100000 --format json --out kept -q".split_whitespace())
        .stdout(std::fs::File::create(yard.path("out.json")).expect("a file"))
        .stderr(std::process::Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(std::time::Duration::from_secs(4));
    assert!(child.try_wait().unwrap().is_none(), "{}", yard.read("out.json"));
    let asked = std::time::Instant::now();
    let signal = std::process::Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
    assert!(signal.success());
    let status = child.wait().unwrap();
    assert!(asked.elapsed().as_secs_f64() < 6.0, "{:?}", asked.elapsed());
    assert_eq!(status.code(), Some(130));
    for file in ["out.json", "kept/result.json"] {
        let json: serde_json::Value = serde_json::from_str(&yard.read(file)).expect("JSON");
        assert_eq!(json["trials"][0]["scene"], "first-drop", "{file}");
    }
}

#[test]
fn a_mistake_far_along_a_line_or_in_a_very_long_text_is_shown_in_a_few_lines() {
    let yard = Yard::new();
    let head = "scene = 1\nname = \"far\"\nabout = \"x\"\n[world]\ngravity = [0, -9.81]\nduration = 1\n";
    let numbers = "1, ".repeat(60_000);
    let name = "x".repeat(100_000);
    for (tables, words) in [
        (format!("zzz = [{numbers}]\n"), "unknown key `zzz`"),
        (format!("bounds = {{ min = [0, 0], max = [1, 1], about = [{numbers}], zzz = 1 }}\n"), "unknown key"),
        (format!("[material.{name}]\ndensity = \"no-such-name\"\n"), "the key"),
        (format!("[[body]]\nname = \"{name}!\"\nat = [0, 0]\nshape = {{ disc = 1 }}\n"), "is no name for a body"),
        (format!("{}[[body]]\nname = 1\n", "# quay\n".repeat(70_000)), "expected"),
    ] {
        yard.write("far.toml", &format!("{head}{tables}"));
        let (status, _, err) = run(&yard, &["scenes", "check", "far.toml"]);
        assert_eq!(status, 2, "{err:.300}");
        let err = err.replace("\n  │ ", " ");
        assert!(err.contains(words) && err.len() < 12_000, "{} bytes: {:.600}", err.len(), err);
    }
}
