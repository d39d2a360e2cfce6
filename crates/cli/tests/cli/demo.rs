//! `demo` and its report.

use crate::util::Yard;

#[test]
fn the_demo_ends_well_and_leaves_a_self_contained_report() {
    let yard = Yard::new();
    let answer = yard.expect(0, "demo --out shown");
    // All of the plane, and some of space.
    let dimension = |name: &str| ironspin_scene::Scene::open(name).unwrap().dimension().unwrap();
    let is_of_space = |name: &str| dimension(name) == ironspin_model::Dimension::Space;
    let (space, plane): (Vec<&str>, Vec<&str>) = ironspin_scene::bundled::names().partition(|name| is_of_space(name));
    for scene in &plane {
        assert!(answer.out.contains(&format!("pass  {scene}")), "{scene}: {}", answer.out);
    }
    let shown = space.iter().filter(|scene| answer.out.contains(&format!("pass  {scene} "))).count();
    assert!(shown > 10, "{shown} scenes of space");
    // Two engines at two steps.
    let trials = 4 * (plane.len() + shown);
    assert!(answer.out.contains(&format!("{trials} trials: ")), "{}", answer.out);
    assert!(answer.out.contains("FAIL  rivet-shot"), "the careless setting is shown to fail: {}", answer.out);
    let mut files: Vec<_> = std::fs::read_dir(yard.path("shown")).unwrap().map(|e| e.unwrap().file_name()).collect();
    files.sort();
    let twins = ["twin-drawings.json", "twins.json"];
    assert_eq!(files[..5], ["drawings.json", "manifest.json", "report.html", "result.json", "trials.csv"]);
    assert_eq!(files[5..], twins);
    let page = yard.read("shown/report.html");
    for outside in ["http://", "https://", "src=\"", "@import", "url("] {
        // The name of the SVG language is no address that is fetched.
        let text = page.replace("http://www.w3.org/2000/svg", "");
        assert!(!text.contains(outside), "the page refers to something outside: {outside}");
    }
    // What fails is drawn: a replay, energy and positions, and the gauge that failed where it has a value before the end.
    let failing = answer.out.lines().filter(|line| line.starts_with("FAIL  ")).count();
    assert!(failing > 10, "{}", answer.out);
    assert_eq!(page.matches("<figure class=\"replay\"").count(), failing);
    assert!(page.matches("<svg").count() >= 3 * failing - 2, "{} plots", page.matches("<svg").count());
    assert!(page.contains("12 twins: 12 agree") && page.matches("Past its bound since").count() > failing);
    // Light enough for a mail, with scenes of space among them.
    assert!(page.len() < 4_000_000, "{} bytes", page.len());
    assert_eq!(page.matches("<details").count(), page.matches("</details>").count());
}

#[test]
fn a_second_demo_replaces_the_first_and_nothing_else() {
    let yard = Yard::new();
    yard.expect(0, "demo --out shown");
    yard.write("shown/notes.txt", "mine");
    yard.expect(0, "demo --out shown --quiet");
    assert_eq!(yard.read("shown/notes.txt"), "mine");
    std::fs::create_dir(yard.path("other")).unwrap();
    yard.write("other/precious.txt", "mine");
    let answer = yard.expect(2, "demo --out other");
    assert!(answer.err.contains("is no folder of results"), "{}", answer.err);
    assert_eq!(yard.names(), ["other", "shown"]);
}
