//! The JSON Schema of scenes, by an ordinary validator.

use ironspin_scene::{Scene, bundled, json_schema};

/// A TOML text as JSON.
fn json(text: &str) -> serde_json::Value {
    let value: toml::Value = toml::from_str(text).unwrap();
    serde_json::to_value(value).unwrap()
}

/// The schema, compiled.
struct Validator(boon::Schemas, boon::SchemaIndex);

impl Validator {
    fn new() -> Self {
        let (mut schemas, mut compiler) = (boon::Schemas::new(), boon::Compiler::new());
        compiler.add_resource("scene.json", json_schema()).unwrap();
        let index = compiler.compile("scene.json", &mut schemas).unwrap();
        Validator(schemas, index)
    }

    /// What is wrong with a text, if anything.
    fn complaint(&self, text: &str) -> Option<String> {
        self.0.validate(&json(text), self.1).err().map(|error| format!("{error:#}"))
    }
}

#[test]
fn it_takes_every_bundled_scene_and_every_resolved_one() {
    let validator = Validator::new();
    for name in bundled::names() {
        assert_eq!(validator.complaint(bundled::find(name).unwrap()), None, "{name}");
        let scene = Scene::open(name).unwrap();
        let setup = scene.resolve(&ironspin_scene::Settings::with_dt(0.1)).unwrap();
        assert_eq!(validator.complaint(&scene.print_resolved(&setup)), None, "{name} resolved");
    }
}

#[test]
fn it_takes_what_the_reader_takes_and_refuses_what_it_refuses() {
    let validator = Validator::new();
    let sound = format!(
        "{}[[body]]\nname = \"b\"\nshape = {{ disc = \"1 + 1\" }}\nat = [0, 1]\nmaterial = \"iron\"\nplace = {{ ring = {{ count = 3, radius = 1 }} }}\n",
        crate::FRAME
    );
    assert_eq!(validator.complaint(&sound), None);
    for (from, to) in [
        ("density", "densty"),
        ("disc", "disk"),
        ("[0, 1]", "\"here\""),
        ("\"iron\"\nplace", "7\nplace"),
        ("duration = 4\n", ""),
        ("radius = 1", "radius = true"),
        ("ring", "rings"),
    ] {
        assert!(sound.contains(from), "{from}");
        let text = sound.replacen(from, to, 1);
        assert!(validator.complaint(&text).is_some(), "{to}");
        assert!(crate::setup_text(&text, &[]).is_err(), "{to}");
    }
}
