//! Engines by name: what can be written, what it stands for, and what is said of a slip.

use ironspin_link::{EngineSpec, ProcessLimits, builtin_settings, start_builtin};
use ironspin_model::EngineError;
use std::path::Path;

fn read(text: &str) -> EngineSpec {
    EngineSpec::read(text).unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn slip(text: &str) -> String {
    EngineSpec::read(text).map(|spec| spec.text().to_owned()).expect_err(text).to_string()
}

fn value(spec: &EngineSpec, name: &str) -> String {
    let options = spec.start().unwrap().info().options;
    options.into_iter().find(|option| option.name == name).unwrap().value
}

#[test]
fn the_last_value_of_an_option_counts() {
    let spec = read("builtin:iterations=4").with_options("iterations=9,swept=off").unwrap();
    assert_eq!(spec.text(), "builtin:iterations=4,iterations=9,swept=off");
    assert_eq!((value(&spec, "iterations"), value(&spec, "swept")), ("9".to_owned(), "off".to_owned()));
    assert_eq!(read("builtin").with_options("iterations=2").unwrap().text(), "builtin:iterations=2");
    assert_eq!(read("cmd:./winch").with_options("a=1").unwrap().text(), "cmd:./winch :: a=1");
    assert_eq!(read("cmd:./winch :: a=1").with_options("b=2").unwrap().text(), "cmd:./winch :: a=1,b=2");
    assert_eq!(read("lib:./winch.so").with_options("").unwrap().text(), "lib:./winch.so");
    assert!(read("builtin").with_options("iterations=many").is_err());
}

#[test]
fn limits_stay_with_an_engine_that_gets_more_options() {
    let limits = ProcessLimits { limits: "step=0.5,cpu=9".parse().unwrap(), fresh: true, ..ProcessLimits::default() };
    let spec = read("cmd:./winch").on(&limits).with_options("a=1").unwrap();
    assert_eq!(spec.process_limits(), &limits);
    assert_ne!(spec, read("cmd:./winch :: a=1"), "other limits are another engine");
    assert_eq!(spec, read("cmd:./winch :: a=1").on(&limits));
    assert_eq!(limits.arguments(), ["--limits", "step=0.5,cpu=9", "--fresh"]);
    assert!(ProcessLimits::default().arguments().is_empty());
}

#[test]
fn slips_say_what_would_have_been_right() {
    for (text, part) in [
        ("cmd:", "a program, such as cmd:./engine --flag"),
        ("cmd:''", "a program, such as"),
        ("cmd:./winch 'half", "quotes in pairs"),
        ("cmd:./winch :: quick", "options as name=value after ` :: `"),
        ("lib:", "a shared library, such as lib:./libengine.so"),
        ("lib: :: a=1", "a shared library"),
        ("library:./x.so", "no engine called `library`"),
        ("trace:", "a recorded trace, such as trace:fall.csv"),
        ("", "no engine called ``"),
        ("builtin:iterations", "cannot be ``"),
        ("builtin:iteration=3", "did you mean `iterations`?"),
        ("builtin:solver=magic", "option `solver` cannot be `magic`"),
    ] {
        let said = slip(text);
        assert!(said.contains(part), "{text}: `{part}` not in `{said}`");
    }
}

#[test]
fn only_programs_and_libraries_live_in_processes_of_their_own() {
    for (text, foreign) in
        [("builtin", false), ("trace:quay.csv", false), ("cmd:./winch", true), ("lib:./winch.so", true)]
    {
        assert_eq!(read(text).is_foreign(), foreign, "{text}");
    }
    assert_eq!(EngineSpec::of_trace(Path::new("a b/quay.csv")), read("trace:a b/quay.csv"));
}

#[test]
fn an_engine_is_known_by_its_file_and_another_file_is_another_engine() {
    let folder = tempfile::TempDir::new().unwrap();
    let file = folder.path().join("winch.sh");
    let named = format!("cmd:sh '{}'", file.display());
    assert_eq!(read(&named).fingerprint(), "unread");
    std::fs::write(&file, "exit 1").unwrap();
    let first = read(&named).fingerprint();
    // SHA-256 of the six bytes, as any other program has it.
    assert_eq!(first, "1a21be8bb1dc4721d30cc1850ead617faa55ae9aebf416da4369668bdeaf0824");
    std::fs::write(&file, "exit 2").unwrap();
    assert_ne!(read(&named).fingerprint(), first);
    let trace = EngineSpec::of_trace(&file);
    assert_eq!(trace.fingerprint(), read(&named).fingerprint());
    assert!(read("builtin:iterations=3").fingerprint().starts_with("builtin "));
}

#[test]
fn every_setting_of_the_built_in_engine_can_be_set_to_its_own_default() {
    let settings = builtin_settings();
    assert!(settings.len() > 10);
    for setting in settings {
        assert!(!setting.about.is_empty() && setting.value == setting.default, "{}", setting.name);
        let pair = (setting.name.clone(), setting.default.clone());
        let engine = start_builtin(&[pair]).unwrap_or_else(|error| panic!("{}: {error}", setting.name));
        let after = engine.info().options.into_iter().find(|option| option.name == setting.name).unwrap();
        assert_eq!(after.value, setting.default);
    }
    let wrong = start_builtin(&[("iterations".into(), "-1".into())]).map(drop).unwrap_err();
    assert!(matches!(wrong, EngineError::BadValue { .. }), "{wrong}");
}
