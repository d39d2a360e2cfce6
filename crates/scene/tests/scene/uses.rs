//! Files that a scene uses, and those it may not.

use ironspin_scene::{Scene, Settings};
use std::path::Path;

const BODY: &str = "[[body]]\nname = \"b\"\ntemplate = \"ball\"\nat = [0, \"drop\"]\n";

fn scene(uses: &str) -> String {
    format!("scene = 1\nname = \"x\"\nabout = \"x\"\nuse = [{uses}]\n[world]\ngravity = [0, 0]\nduration = 1\n{BODY}")
}

const YARD: &str = "scene = 1\n[set]\ndrop = { value = 3, about = \"height\" }\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n[template.ball]\nshape = { disc = 1 }\nmaterial = \"iron\"\n";

fn open(folder: &Path) -> Result<ironspin_scene::Setup, ironspin_scene::SceneError> {
    Scene::open(&folder.join("x.toml").display().to_string())?.resolve(&Settings::with_dt(0.1))
}

#[test]
fn parameters_materials_and_templates_come_from_a_file_of_the_same_folder() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("x.toml"), scene("\"yard.toml\"")).unwrap();
    std::fs::write(folder.path().join("yard.toml"), YARD).unwrap();
    let setup = open(folder.path()).unwrap();
    assert_eq!(setup.world.bodies[0].pose.position.y, 3.0);
    // A mistake in the shared file stands there.
    std::fs::write(folder.path().join("yard.toml"), YARD.replace("disc = 1", "disc = -1")).unwrap();
    let place = open(folder.path()).unwrap_err().place.unwrap();
    assert_eq!((place.file.as_str(), place.line()), ("yard.toml", 9));
    std::fs::write(folder.path().join("yard.toml"), YARD.replace("density", "densty")).unwrap();
    let place = open(folder.path()).unwrap_err().place.unwrap();
    assert_eq!((place.file.as_str(), place.line()), ("yard.toml", 5));
}

#[test]
fn nothing_is_read_outside_the_folder_and_nothing_in_circles() {
    let folder = tempfile::tempdir().unwrap();
    let inner = folder.path().join("inner");
    std::fs::create_dir(&inner).unwrap();
    std::fs::write(folder.path().join("yard.toml"), YARD).unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink(folder.path().join("yard.toml"), inner.join("link.toml")).unwrap();
    std::fs::write(inner.join("circle.toml"), "scene = 1\nuse = [\"circle.toml\"]\n").unwrap();
    let outside = folder.path().join("yard.toml").display().to_string();
    for (uses, part) in [
        ("\"../yard.toml\"", "not a plain file name"),
        (&*format!("\"{outside}\""), "not a plain file name"),
        ("\"..\\\\yard.toml\"", "not a plain file name"),
        ("\"yard\"", "not a plain file name"),
        ("\".hidden.toml\"", "not a plain file name"),
        ("\"none.toml\"", "used here"),
        #[cfg(unix)]
        ("\"link.toml\"", "a link to elsewhere"),
        ("\"circle.toml\"", "no such key"),
    ] {
        std::fs::write(inner.join("x.toml"), scene(uses)).unwrap();
        let error = open(&inner).unwrap_err();
        assert!(error.label.contains(part), "{uses}: {} | {}", error.message, error.label);
        assert!(error.place.is_some(), "{uses}");
    }
    assert!(Scene::parse(&scene("\"yard.toml\""), "x.toml").unwrap_err().label.contains("no folder"));
}
