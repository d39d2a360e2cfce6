//! The page of space, driven by mouse, keys and links in a browser, and films from several sides.

use crate::look::{browser, seen};
use crate::util::Yard;

/// Turns, moves, zooms and compares as a reader would, and writes down what came of it.
const READER: &str = r##"<script>
setTimeout(() => {
  const reported = [], tell = (name, value) => reported.push(`${name} ${value}`);
  const figures = [...document.querySelectorAll("figure.replay")], figure = figures[0], canvas = figure.querySelector("canvas");
  const find = (name) => figure.querySelector(`[data-do=${name}]`), picture = () => canvas.toDataURL(), side = find("side");
  const key = (name, shift) => canvas.dispatchEvent(new KeyboardEvent("keydown", { key: name, shiftKey: Boolean(shift), bubbles: true }));
  const pointer = (name, x, y, more) => canvas.dispatchEvent(new PointerEvent(name, { pointerId: 1, clientX: x, clientY: y, buttons: 1, bubbles: true, ...more }));
  const drag = (more) => { pointer("pointerdown", 100, 100, more); pointer("pointermove", 160, 120, more); pointer("pointerup", 160, 120, more); };
  const changed = (act) => { const before = picture(); act(); return picture() !== before; };
  const colour = (r, g, b, from, to) => {
    const dots = canvas.getContext("2d").getImageData(from, 0, to - from, canvas.height).data;
    let count = 0;
    for (let k = 0; k < dots.length; k += 4) if (dots[k] === r && dots[k + 1] === g && dots[k + 2] === b) count++;
    return count;
  };
  const first = picture();
  tell("turned", changed(() => drag()) + " " + side.selectedOptions[0].text);
  tell("moved", changed(() => drag({ shiftKey: true })));
  tell("keys", ["ArrowLeft", "ArrowUp", "+", "p"].map((name) => changed(() => key(name))) + " " + changed(() => key("ArrowRight", true)));
  key("p"); key("Home");
  tell("back", picture() === first);
  key("2"); tell("second", side.value);
  key("."); tell("frame", figure.querySelector("output").textContent !== "0.000 s");
  for (const name of ["velocities", "spins", "trails", "heights", "perspective"]) { const box = figure.querySelector(`[data-show=${name}]`); tell(name, changed(() => box.click())); box.click(); }
  key("Home");
  figure.querySelector(".moments button").click();
  tell("mark", colour(0xa9, 0x3a, 0x12, 0, canvas.width) > 40);
  figure.querySelector("[data-show=contacts]").click();
  const other = find("other");
  tell("others", other.options.length);
  other.value = "beside 0"; other.dispatchEvent(new Event("change"));
  const half = canvas.width / 2, ink = (from, to) => colour(0x22, 0x26, 0x2a, from, to) > 100;
  tell("beside", ink(0, half) + " " + ink(half, canvas.width));
  other.value = "over 0"; tell("over", changed(() => other.dispatchEvent(new Event("change"))));
  other.value = ""; other.dispatchEvent(new Event("change"));
  find("link").click(); tell("link", /^#trial-\d+&t=[\d.]+&view=corner$/.test(location.hash));
  location.hash = "#trial-1&t=0.1&view=top";
  setTimeout(() => {
    const opened = document.querySelector("#trial-1 figure.replay");
    tell("linked", opened.querySelector("output").textContent + " " + opened.querySelector("[data-do=side]").value);
    tell("said", figure.querySelector(".said").textContent.replace(/\d+(\.\d+)?/g, "N"));
    document.title = reported.join("; ") + "; requests " + performance.getEntriesByType("resource").length;
  }, 500);
}, 500);
</script></body>"##;

#[test]
fn the_page_of_space_is_turned_compared_and_linked_to() {
    let Some(browser) = browser() else { return };
    let yard = Yard::new();
    yard.expect(1, "run solid-shot --engine builtin:swept=off --dt 1/60,1/240 --out results -q");
    yard.write("results/read.html", &yard.read("results/report.html").replace("</body>", READER));
    let (dom, said) = seen(browser, &yard.path("results/read.html"));
    assert_eq!(said, "");
    let found = dom.split("<title>").nth(1).and_then(|rest| rest.split("</title>").next()).unwrap_or(&dom);
    let expected = "turned true free; moved true; keys true,true,true,true true; back true; second front; frame true; velocities true; \
         spins true; trails true; heights true; perspective true; mark true; others 3; beside true true; over true; link true; linked 0.100 s top; \
         said At N s: N moving bodies of which N are in sight from corner, N contacts; tunnel.count";
    assert!(found.starts_with(expected) && found.ends_with("requests 0"), "{found}");
}

#[test]
fn a_film_is_seen_from_named_sides_all_at_once_after_a_body_and_from_anywhere() {
    let yard = Yard::new();
    let views = [
        "--view front",
        "--view top",
        "--view all",
        "--view follow:casting",
        "--from 3,2,4",
        "--from 3,2,4 --to 0,0.5,0",
    ];
    let mut pictures = std::collections::BTreeSet::new();
    for (number, view) in views.iter().enumerate() {
        yard.expect(0, &format!("film solid-drop --at 0.3 --width 200 {view} --out {number}.png -q"));
        pictures.insert(std::fs::read(yard.path(&format!("{number}.png"))).expect("a picture"));
    }
    assert_eq!(pictures.len(), views.len());
    for (wrong, why) in [
        ("--view back", "expected front, side, top, corner, all or follow:BODY"),
        ("--view follow:nobody", "there is no body called"),
        ("--from 1,2", "expected three numbers"),
        ("--from 1,2,3 --to 1,2,3", "are the same point"),
        ("--to 1,2,3", "--from"),
    ] {
        let ran = yard.expect(2, &format!("film solid-drop {wrong} --out wrong.png -q"));
        assert!(ran.err.contains(why), "{wrong}: {}", ran.err);
    }
    let ran = yard.expect(2, "film ingot-stack --view all --out wrong.png -q");
    assert!(ran.err.contains("only seen from the front"), "{}", ran.err);
}

/// Goes to the end, where all sleep, and tells what is said and whether the picture is another without pale bodies.
const SLEEPER: &str = r##"<script>
document.querySelector("details").open = true;
setTimeout(() => {
  const figure = document.querySelector("figure.replay"), canvas = figure.querySelector("canvas"), range = figure.querySelector("input[type=range]");
  range.value = range.max; range.dispatchEvent(new Event("input"));
  const box = figure.querySelector("[data-show=rest]"), pale = canvas.toDataURL();
  if (box) box.click();
  setTimeout(() => { document.title = `${box !== null} ${canvas.toDataURL() !== pale} ${figure.querySelector(".said").textContent}`; }, 500);
}, 500);
</script></body>"##;

#[test]
fn what_sleeps_is_pale_on_pages_and_in_films_of_plane_and_space() {
    let yard = Yard::new();
    for (scene, bodies) in [("solid-tower", 10), ("ingot-stack", 10)] {
        for (setting, sleeps) in [("on", true), ("off", false)] {
            let out = format!("{scene}-{setting}");
            yard.expect(0, &format!("run {scene} --engine builtin:sleep={setting} --dt 1/60 --out {out} -q"));
            let page = yard.read(&format!("{out}/report.html"));
            // The stack of the plane comes to rest to the last bit without being put to sleep, here and there.
            if sleeps || scene == "solid-tower" {
                assert_eq!(page.contains("Pale bodies are at rest"), sleeps, "{out}");
            }
            let film = format!("film {scene} --engine builtin:sleep={setting} --at 9 --width 200 --out {out}.png -q");
            yard.expect(0, &film);
            let Some(browser) = browser().filter(|_| sleeps) else { continue };
            yard.write(&format!("{out}/read.html"), &page.replace("</body>", SLEEPER));
            let (dom, said) = seen(browser, &yard.path(&format!("{out}/read.html")));
            assert_eq!(said, "");
            let found = dom.split("<title>").nth(1).and_then(|rest| rest.split("</title>").next()).unwrap_or(&dom);
            assert!(
                found.starts_with("true true At ") && found.contains(&format!("{bodies} of them at rest")),
                "{found}"
            );
        }
        let picture = |setting: &str| std::fs::read(yard.path(&format!("{scene}-{setting}.png"))).expect("a picture");
        assert_ne!(picture("on"), picture("off"), "{scene}");
    }
}
