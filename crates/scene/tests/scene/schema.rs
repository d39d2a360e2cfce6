//! The JSON Schema of scenes, by a small validator of the keywords that it uses.

use ironspin_scene::{Scene, bundled, json_schema};
use serde_json::Value;

/// A TOML text as JSON.
fn json(text: &str) -> Value {
    let value: toml::Value = toml::from_str(text).unwrap();
    serde_json::to_value(value).unwrap()
}

/// Keywords that say nothing about what is valid.
const ANNOTATIONS: [&str; 6] = ["$schema", "$defs", "title", "description", "default", "format"];

/// Validates by the keywords of JSON Schema 2020-12 that the schema uses; any other keyword is a panic, so that none is passed over.
struct Validator(Value);

impl Validator {
    fn new() -> Self {
        Validator(json_schema())
    }

    /// What is wrong with a text, if anything.
    fn complaint(&self, text: &str) -> Option<String> {
        self.check(&self.0, &json(text), "").err()
    }

    fn check(&self, schema: &Value, value: &Value, at: &str) -> Result<(), String> {
        let Value::Object(keywords) = schema else {
            return if schema == &Value::Bool(true) { Ok(()) } else { Err(format!("{at}: nothing may stand here")) };
        };
        let known = |key: &str| keywords.get("properties").and_then(|properties| properties.get(key));
        for (keyword, argument) in keywords {
            let fits = match (keyword.as_str(), value) {
                ("$ref", _) => {
                    let pointer = argument.as_str().unwrap().trim_start_matches('#');
                    return self.check(self.0.pointer(pointer).expect("a definition"), value, at);
                }
                ("type", _) => match argument {
                    Value::Array(kinds) => kinds.iter().any(|kind| is_of_type(value, kind)),
                    kind => is_of_type(value, kind),
                },
                ("enum", _) => argument.as_array().unwrap().contains(value),
                ("const", _) => argument == value,
                ("minItems", Value::Array(items)) => items.len() as u64 >= argument.as_u64().unwrap(),
                ("maxItems", Value::Array(items)) => items.len() as u64 <= argument.as_u64().unwrap(),
                ("minimum", Value::Number(number)) => number.as_f64() >= argument.as_f64(),
                ("required", Value::Object(map)) => {
                    argument.as_array().unwrap().iter().all(|key| map.contains_key(key.as_str().unwrap()))
                }
                ("properties", Value::Object(map)) => {
                    for (key, inner) in map {
                        if let Some(schema) = known(key) {
                            self.check(schema, inner, &format!("{at}/{key}"))?;
                        }
                    }
                    true
                }
                ("additionalProperties", Value::Object(map)) => {
                    for (key, inner) in map.iter().filter(|(key, _)| known(key).is_none()) {
                        self.check(argument, inner, &format!("{at}/{key}"))?;
                    }
                    true
                }
                ("items", Value::Array(items)) => {
                    for (index, inner) in items.iter().enumerate() {
                        self.check(argument, inner, &format!("{at}/{index}"))?;
                    }
                    true
                }
                ("anyOf", _) => self.fitting(argument, value, at) > 0,
                ("oneOf", _) => self.fitting(argument, value, at) == 1,
                (
                    "minItems" | "maxItems" | "minimum" | "required" | "properties" | "additionalProperties" | "items",
                    _,
                ) => true,
                (other, _) => {
                    assert!(ANNOTATIONS.contains(&other), "the validator does not know `{other}`");
                    true
                }
            };
            if !fits {
                return Err(format!("{at}: {value} does not fit {keyword} {argument}"));
            }
        }
        Ok(())
    }

    /// How many of some schemas a value fits.
    fn fitting(&self, schemas: &Value, value: &Value, at: &str) -> usize {
        schemas.as_array().unwrap().iter().filter(|schema| self.check(schema, value, at).is_ok()).count()
    }
}

fn is_of_type(value: &Value, kind: &Value) -> bool {
    match kind.as_str().unwrap() {
        "object" => value.is_object(),
        "array" => value.is_array(),
        "string" => value.is_string(),
        "boolean" => value.is_boolean(),
        "number" => value.is_number(),
        "integer" => value.is_i64() || value.is_u64(),
        "null" => value.is_null(),
        other => panic!("the validator does not know the type `{other}`"),
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

/// Lists, loops, bounds that fall with the step, and forces.
#[test]
fn it_knows_the_language_as_the_reader_does() {
    let validator = Validator::new();
    let sound = format!(
        "{}[[body]]\nname = \"b\"\nrepeat = {{ i = 2 }}\nshape = {{ disc = 1 }}\nat = [\"3 * i\", 1]\nmaterial = \"iron\"\n\
         [[force]]\non = \"b[0]\"\nby = \"b[1]\"\nforce = [\"-dx\", 0]\npotential = \"dx ^ 2 / 2\"\n[[force]]\non = \"b[0]\"\ntorque = 1\nwindow = [0, 1]\n\
         [[claim]]\nname = \"near\"\nfor = {{ i = \"0..2\" }}\ngauge = \"value.x\"\nof = \"b[i]\"\nat_time = 0.5\nequals = 1\nwithin = {{ at_dt = \"1/240\", of = \"1 %\", order = 2 }}\nbecause = \"x\"\n\
         [[claim]]\ngauge = \"time.when\"\nof = \"b[0]\"\nbecomes = \"x < 1\"\nnth = \"last\"\nat_most = 2\nbecause = \"x\"\n\
         [[claim]]\ngauge = \"way.length\"\nof = \"b[0]\"\npoint = [0.5, 0]\nat_most = \"2\"\nbecause = \"x\"\n",
        crate::FRAME.replacen("[world]", "[set]\nc = { values = [1, \"2\"], about = \"x\", range = [0, 9] }\nd = { value = 1, about = \"x\" }\n[world]", 1)
    );
    assert_eq!(validator.complaint(&sound), None);
    crate::setup_text(&sound, &[]).unwrap();
    for (from, to) in [
        ("values = [1, \"2\"]", "values = 1"),
        ("d = { value = 1, about = \"x\" }", "d = 1"),
        ("d = { value = 1, about = \"x\" }", "d = [1]"),
        ("d = { value = 1, about = \"x\" }", "d = { value = 1 }"),
        ("order = 2", "ordre = 2"),
        (", order = 2", ""),
        ("of = \"1 %\"", "of = [1]"),
        ("for = { i = \"0..2\" }", "for = { i = [0, 2] }"),
        ("for = { i = \"0..2\" }", "for = \"i\""),
        ("name = \"near\"", "name = 3"),
        ("becomes = \"x < 1\"", "becomes = true"),
        ("force = [\"-dx\", 0]", "force = [true, 0]"),
        ("potential = ", "potental = "),
        ("on = \"b[0]\"\nby", "by"),
        ("point = [0.5, 0]", "point = 0.5"),
    ] {
        assert!(sound.contains(from), "{from}");
        let text = sound.replacen(from, to, 1);
        assert!(validator.complaint(&text).is_some(), "{to}");
        assert!(crate::setup_text(&text, &[]).is_err(), "{to}");
    }
}
