//! Reports, films and the formats of other programs.

use crate::util::{Yard, has_tool};
use std::path::Path;
use std::process::Command;

#[test]
fn reports_are_made_again_from_what_a_folder_holds() {
    let yard = Yard::new();
    yard.expect(1, "run rivet-shot ladle-swing --engine builtin --engine builtin:swept=off --out results -q");
    let first = yard.read("results/report.html");
    yard.expect(0, "report results --out again.html --title Trials -q");
    let again = yard.read("again.html");
    // Drawings come back from the disk as they were; only the head differs.
    let rest = |page: &str| page[page.find("<h2>Verdicts").expect("verdicts")..].to_owned();
    assert_eq!(rest(&first), rest(&again));
    assert!(again.contains("Made by: ironspin run rivet-shot ladle-swing"));
    assert_eq!(first.matches("<figure class=\"replay\"").count(), 4);
    // Nothing that would be fetched.
    for fetched in ["http://", "https://", "src=", "@import", "url("] {
        assert!(!first.replace("http://www.w3.org/2000/svg", "").contains(fetched), "{fetched}");
    }
    let answer = yard.expect(2, "report nowhere");
    assert!(answer.err.contains("is no folder of results"), "{}", answer.err);
}

#[test]
fn sweeps_leave_a_page_and_the_same_one_after_they_went_on() {
    let yard = Yard::new();
    let words = "sweep rivet-shot --dt 1/60,1/120 --engine builtin --engine builtin:swept=off -q --out";
    yard.expect(1, &format!("{words} whole"));
    yard.expect(0, &format!("{words} parts --shard 1/2"));
    yard.expect(0, &format!("{words} parts --shard 2/2"));
    yard.expect(1, &format!("{words} parts"));
    assert_eq!(yard.read("whole/report.html"), yard.read("parts/report.html"));
    yard.expect(0, "report whole -q");
    assert!(yard.read("whole/report.html").contains("<figure class=\"replay\""));
}

#[test]
fn build_servers_and_reviewers_read_the_results() {
    let yard = Yard::new();
    yard.write("crash.sh", "exit 9\n");
    let words = [
        "run",
        "rivet-shot",
        "ladle-swing",
        "--engine",
        "builtin",
        "--engine",
        "builtin:swept=off",
        "--engine",
        "cmd:sh crash.sh",
        "-q",
    ];
    let (_, xml, _) = crate::remote::run(&yard, &[&words[..], &["--format", "junit"]].concat());
    let mut reader = quick_xml::Reader::from_str(&xml);
    let (mut depth, mut counts) = (0_i32, std::collections::BTreeMap::new());
    loop {
        use quick_xml::events::Event;
        match reader.read_event().expect("well-formed XML") {
            Event::Start(tag) => {
                depth += 1;
                *counts.entry(String::from_utf8_lossy(tag.name().as_ref()).into_owned()).or_insert(0) += 1;
            }
            Event::Empty(tag) => {
                *counts.entry(String::from_utf8_lossy(tag.name().as_ref()).into_owned()).or_insert(0) += 1;
            }
            Event::End(_) => depth -= 1,
            Event::Eof => break,
            _ => {}
        }
    }
    assert_eq!((depth, counts["testsuites"], counts["testsuite"], counts["error"]), (0, 1, 6, 2), "{xml}");
    assert!(counts["failure"] >= 1 && xml.contains("again: ironspin run rivet-shot"), "{xml}");
    let (_, text, _) = crate::remote::run(&yard, &[&words[..], &["--format", "markdown"]].concat());
    let rows: Vec<&str> = text.lines().filter(|line| line.starts_with('|')).collect();
    assert_eq!(rows.len(), 2 + 6, "{text}");
    assert!(rows.iter().all(|row| row.replace("\\|", "").matches('|').count() == 9), "{text}");
}

#[test]
fn films_strips_and_pictures_are_what_their_names_say() {
    let yard = Yard::new();
    yard.expect(0, "film slag-lob --out lob.gif --width 200 --velocities --trails -q");
    yard.expect(0, "film slag-lob --out lob.png --strip 4 --width 200 -q");
    yard.expect(0, "film slag-lob --out one.png --at 0.5 --width 200 --follow lump -q");
    let bytes = |name: &str| std::fs::read(yard.path(name)).expect("a file");
    yard.expect(0, "film slag-lob --out lob.apng --width 200 -q");
    let mut animated = png::Decoder::new(std::io::Cursor::new(bytes("lob.apng"))).read_info().expect("a PNG");
    let reported = animated.info().animation_control.expect("an animation");
    let mut room = vec![0; animated.output_buffer_size()];
    for _ in 0..reported.num_frames {
        animated.next_frame(&mut room).expect("a frame");
    }
    assert!(reported.num_frames > 40 && reported.num_plays == 0, "{reported:?}");
    let film = bytes("lob.gif");
    let mut decoder = gif::DecodeOptions::new().read_info(&film[..]).expect("a GIF");
    let (mut frames, mut hundredths) = (0, 0_u32);
    while let Some(frame) = decoder.read_next_frame().expect("a frame") {
        frames += 1;
        hundredths += u32::from(frame.delay);
    }
    // Three seconds, every second step of 1/60, and the last picture for a second more.
    assert!((88..=92).contains(&frames) && (390..=405).contains(&hundredths), "{frames} {hundredths}");
    let size = |name: &str| {
        let picture = bytes(name);
        let reader = png::Decoder::new(&picture[..]).read_info().expect("a PNG");
        (reader.info().width, reader.info().height)
    };
    let (strip, one) = (size("lob.png"), size("one.png"));
    assert_eq!((one.0, strip.0), (200, 3 * 206 + 6));
    assert_eq!(strip.1, 2 * (one.1 + 6) + 6);
    // The same bits each time.
    let first = bytes("lob.gif");
    yard.expect(0, "film slag-lob --out lob.gif --width 200 --velocities --trails -q");
    assert_eq!(first, bytes("lob.gif"));
    for (words, part) in [
        ("film slag-lob --out lob.mp4", "a film ends with .gif"),
        ("film slag-lob --out x.gif --strip 3", "ends with .png"),
        ("film slag-lob --play", "a film is played in a terminal, and this is none"),
        ("film slag-lob --out x.png --dt 1/60,1/30", "a film is of one trial"),
        ("film slag-lob --out x.png --follow lumpp", "did you mean `lump`?"),
    ] {
        let answer = yard.expect(2, words);
        assert!(answer.err.contains(part), "{words}: {}", answer.err);
    }
    assert!(!yard.path("x.png").exists() && !yard.path("x.gif").exists());
}

#[test]
fn gauges_are_plotted_over_what_was_swept() {
    let yard = Yard::new();
    yard.ironspin(
        "sweep slag-lob --dt 1/30,1/60,1/120 --engine builtin --engine builtin:integrator=explicit-euler --out swept -q",
    );
    yard.expect(0, "plot swept --y path.error --over dt --log xy --out error.svg -q");
    let svg = yard.read("error.svg");
    // A dot for each trial, and a line for each engine and its bound; engines are named by letters, explained below.
    assert_eq!(svg.matches("<circle").count(), 6, "{svg}");
    assert!(svg.contains("path.error, m") && svg.contains("dt, s") && svg.matches("<polyline").count() >= 4);
    assert!(svg.contains("stroke-dasharray") && svg.contains("engine B: builtin:integrator=explicit-euler"), "{svg}");
    yard.expect(0, "plot swept --y path.error --over time --out time.svg -q");
    let svg = yard.read("time.svg");
    assert!(svg.contains("time, s") && svg.matches("dt 1/").count() == 6, "{svg}");
    yard.expect(0, "plot swept --y path.error --out error.png -q");
    let picture = std::fs::read(yard.path("error.png")).expect("a file");
    let info = png::Decoder::new(std::io::Cursor::new(picture)).read_info().expect("a PNG").info().clone();
    assert!(info.width == 1440 && info.height >= 840, "{info:?}");
    for (words, part) in [
        ("plot swept --y path.eror --out x.svg", "did you mean `path.error`?"),
        ("plot swept --y path.error --over sped --out x.svg", "there is no `sped` to plot over"),
        ("plot swept --y path.error --out x.gif", "a plot ends with .svg or .png"),
        ("plot time.svg --y path.error --out x.svg", "--scene says"),
        ("plot nowhere --y path.error --out x.svg", "is no folder of results"),
    ] {
        let answer = yard.expect(2, words);
        assert!(answer.err.contains(part), "{words}: {}", answer.err);
    }
}

#[test]
fn a_recorded_trace_is_plotted_over_time() {
    let yard = Yard::new();
    yard.expect(1, "run rivet-hung --engine builtin:swept=off --trace kept -q");
    let trace = yard.names_in("kept").into_iter().find(|name| !name.contains(".contacts.")).expect("a trace");
    let answer = yard.expect(0, &format!("plot kept/{trace} --scene rivet-hung --y tunnel.count --out through.svg"));
    assert!(answer.err.contains("plot in through.svg"), "{}", answer.err);
    assert!(yard.read("through.svg").contains("tunnel.count over time"));
    let answer = yard.expect(2, &format!("plot kept/{trace} --scene rivet-hung --y spread.chi --out x.svg"));
    assert!(answer.err.contains("no claim of these results is about `spread.chi`"), "{}", answer.err);
}

#[test]
fn films_go_slowly_where_a_claim_broke() {
    let yard = Yard::new();
    let shown = |words: &str| {
        yard.expect(1, &format!("film rivet-hung --dt 1/240 --engine builtin:swept=off --width 160 {words} -q"));
        let film = std::fs::read(yard.path("shot.gif")).expect("a file");
        let mut decoder = gif::DecodeOptions::new().read_info(&film[..]).expect("a GIF");
        let mut delays = Vec::new();
        while let Some(frame) = decoder.read_next_frame().expect("a frame") {
            delays.push(frame.delay);
        }
        delays
    };
    let (even, slow) = (shown("--out shot.gif --no-slow"), shown("--out shot.gif"));
    assert!(even[..even.len() - 1].iter().all(|delay| (4..=5).contains(delay)), "{even:?}");
    // Some steps before and after it went through, each for 0.12 s.
    assert!(slow.iter().filter(|delay| **delay == 12).count() >= 6 && slow.len() > even.len(), "{slow:?}");
}

#[test]
fn twins_series_and_costs_leave_pages() {
    let yard = Yard::new();
    yard.expect(1, "twin rivet-swarm --by order,again --out twins -q");
    let page = yard.read("twins/report.html");
    assert!(page.contains("2 twins: 1 agree, 1 do not.") && page.contains("\"ghost\":\""));
    assert!(page.contains("first difference: ") && page.contains(" of rivet[") && page.matches("<svg").count() == 1);
    yard.expect(0, "report twins -q");
    let again = yard.read("twins/report.html");
    // The head of a page that is made again says what made the folder.
    let body = |page: &str| page.split_once("</header>").map(|(_, body)| body.to_owned());
    assert!(body(&again).is_some() && body(&again) == body(&page));
    yard.expect(0, "series slag-lob --over dt=1/30,1/60,1/120 --gauge path.error --out series -q");
    assert!(yard.read("series/report.html").contains("Power "));
    yard.expect(
        0,
        "cost ingot-stack --over count=2,4 --error overlap.deepest --longest 0.02 --rounds 1 --out series -q",
    );
    let page = yard.read("series/report.html");
    assert!(page.contains("error over cost") && page.contains("A step of ingot-stack with 5 bodies takes"));
    // Those of an older run make way.
    assert!(!yard.path("series/series.json").exists() && yard.path("series/cost.json").exists());
    yard.expect(0, "run tip-test --twins --out run -q");
    assert!(yard.read("run/report.html").contains("<h2>Twins</h2>") && yard.path("run/twins.json").exists());
}

#[test]
fn sizes_collapse_on_the_page_of_a_sweep() {
    let yard = Yard::new();
    yard.ironspin("sweep slag-lob --dt 1/64,1/128 --size 1,4 --out swept -q");
    let page = yard.read("swept/report.html");
    assert!(page.contains("<h2>Sizes</h2>") && page.contains("size 4") && page.contains("dt sqrt(g / L)"));
}

#[test]
fn verdicts_and_gauges_are_explained_with_what_to_try_next() {
    let yard = Yard::new();
    for name in ["pass", "fail", "ERR!", "unsupported", "tunnel.count"] {
        assert!(yard.expect(0, &format!("explain {name}")).out.contains("What to try next"), "{name}");
    }
}

/// A browser, where one is installed.
#[test]
fn space_is_seen_from_four_sides() {
    let yard = Yard::new();
    let mut seen: Vec<Vec<u8>> = Vec::new();
    for side in ["front", "side", "top", "corner"] {
        yard.expect(0, &format!("film solid-drop --at 0.4 --view {side} --out {side}.png --width 200 -q"));
        let picture = std::fs::read(yard.path(&format!("{side}.png"))).expect("a picture");
        assert!(!seen.contains(&picture), "{side} looks like another side");
        seen.push(picture);
    }
    // The corner is the usual side.
    yard.expect(0, "film solid-drop --at 0.4 --out usual.png --width 200 -q");
    assert_eq!(std::fs::read(yard.path("usual.png")).expect("a picture"), seen[3]);
    yard.expect(0, "scenes show solid-wall --picture wall.svg --view front");
    let drawn = yard.read("wall.svg");
    assert!(drawn.contains("<title>brick[7][5] (48)</title>") && drawn.matches("<polygon").count() >= 48, "{drawn}");
    let shown = yard.expect(0, "scenes show solid-tower").out;
    let (front, above) = shown.split_once("from above").expect("two sketches");
    let highest = |sketch: &str| sketch.lines().filter(|line| line.contains('%')).count();
    assert!(front.contains("from the front") && highest(front) > 15 && highest(above) > 5, "{shown}");
    // The floor is a line from the front, and nothing from above.
    assert!(front.contains("###") && !above.split("across").next().unwrap_or_default().contains("###"), "{shown}");
    for (words, part) in [
        ("film slag-lob --at 1 --out x.png --view top", "a scene of the plane is only seen from the front"),
        ("scenes show slag-lob --picture x.svg --view top", "a scene of the plane is only seen from the front"),
        ("film solid-drop --at 1 --out x.png --view behind", "expected front, side, top, corner, all or follow:BODY"),
    ] {
        let answer = yard.expect(2, words);
        assert!(answer.err.contains(part), "{words}: {}", answer.err);
    }
}

pub(crate) fn browser() -> Option<&'static str> {
    let there = |name: &&str| Command::new(name).arg("--version").output().is_ok();
    ["chromium", "chromium-browser"].into_iter().find(there).or_else(|| {
        has_tool("chromium", "the page in a browser");
        None
    })
}

/// What stands on a page after its scripts ran, and what the browser said on its console.
pub(crate) fn seen(browser: &str, page: &Path) -> (String, String) {
    let profile = tempfile::tempdir().expect("a temporary folder");
    let output = Command::new(browser)
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"])
        .args(["--disable-component-update", "--disable-sync", "--enable-logging=stderr", "--window-size=1280,2000"])
        .args(["--virtual-time-budget=5000", "--dump-dom"])
        .arg(format!("--user-data-dir={}", profile.path().display()))
        .arg(format!("file://{}", page.display()))
        .output()
        .expect("the browser to start");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    let said: Vec<String> =
        text(&output.stderr).lines().filter(|line| line.contains("CONSOLE")).map(str::to_owned).collect();
    (text(&output.stdout), said.join("\n"))
}

/// Plays, steps and scrubs as a reader would, and writes down what the page then shows.
const READER: &str = r#"<script>
const figure = document.querySelector("figure.replay"), reported = [];
const clock = () => figure.querySelector("output").textContent, button = (name) => figure.querySelector(`[data-do=${name}]`);
const dots = () => figure.querySelector("canvas").toDataURL();
const first = dots();
reported.push("at " + clock());
button("forth").click(); reported.push("on " + (clock() !== "0.000 s"));
button("back").click(); reported.push("back " + clock());
const range = figure.querySelector("input[type=range]");
range.value = range.max; range.dispatchEvent(new Event("input")); reported.push("end " + (Number.parseFloat(clock()) > 0.5), "other " + (dots() !== first));
figure.querySelector("[data-show=trails]").click(); reported.push("trails " + (dots() !== first));
button("play").click(); reported.push("play " + button("play").textContent);
button("play").click(); reported.push("stop " + button("play").textContent);
figure.querySelector(".moments button").click(); reported.push("moment " + clock() + " " + figure.querySelector(".moments button").textContent.split(",")[0]);
document.title = reported.join("; ") + "; requests " + performance.getEntriesByType("resource").length;
</script></body>"#;

#[test]
fn the_page_plays_and_scrubs_and_says_nothing_on_the_console() {
    let Some(browser) = browser() else { return };
    let yard = Yard::new();
    yard.expect(1, "run rivet-shot --engine builtin:swept=off --out results -q");
    let page = yard.read("results/report.html").replace("</body>", READER);
    yard.write("results/read.html", &page);
    let (dom, said) = seen(browser, &yard.path("results/read.html"));
    assert_eq!(said, "");
    // What is opened later plays as well.
    yard.expect(0, "run spring-hammer --out passed -q");
    let opens = r#"<script>document.querySelector("details").open = true;
        setTimeout(() => { document.title = "clock " + document.querySelector("output").textContent; }, 1000);</script></body>"#;
    yard.write("passed/read.html", &yard.read("passed/report.html").replace("</body>", opens));
    let (opened, said) = seen(browser, &yard.path("passed/read.html"));
    assert!(said.is_empty() && opened.contains("<title>clock 0.000 s</title>"), "{said}");
    // Space plays too, from each side.
    yard.expect(0, "run solid-drop --dt 1/60 --out solid -q");
    let sides = r#"<script>document.querySelector("details").open = true;
        setTimeout(() => {
            const figure = document.querySelector("figure.replay"), canvas = figure.querySelector("canvas"), range = figure.querySelector("input[type=range]");
            const side = figure.querySelector("[data-do=side]"), seen = new Set();
            range.value = range.max / 2; range.dispatchEvent(new Event("input"));
            for (const option of side.options) { side.value = option.value; side.dispatchEvent(new Event("change")); seen.add(canvas.toDataURL()); }
            document.title = `${[...side.options].map((option) => option.text)}; ${seen.size} pictures`;
        }, 1000);</script></body>"#;
    yard.write("solid/read.html", &yard.read("solid/report.html").replace("</body>", sides));
    let (played, said) = seen(browser, &yard.path("solid/read.html"));
    assert!(
        said.is_empty() && played.contains("<title>corner,front,side,top,back,left,below; 7 pictures</title>"),
        "{said}"
    );
    let title = "at 0.000 s; on true; back 0.000 s; end true; other true; trails true; play Pause; stop Play; \
         moment 0.017 s tunnel.count of rivet[6]; requests 0";
    let found = dom.split("<title>").nth(1).and_then(|rest| rest.split("</title>").next()).unwrap_or(&dom);
    assert_eq!(found, title);
}
