//! Letters for engines: the same in tables, legends and notes.

/// The letter of an engine by its number: A to Z, then A1, B1 and on.
pub(crate) fn letter(index: usize) -> String {
    let name = char::from(b'A' + (index % 26) as u8);
    if index < 26 { name.to_string() } else { format!("{name}{}", index / 26) }
}

/// A single engine with a longer name gets a letter too.
const SHORT_NAME: usize = 24;

/// The engines of a figure, in the order in which they come.
pub(crate) struct EngineKey(Vec<String>);

impl EngineKey {
    /// Of engines as they were named, each once.
    pub(crate) fn of<'a>(engines: impl IntoIterator<Item = &'a str>) -> EngineKey {
        let mut key: Vec<String> = Vec::new();
        for engine in engines {
            if !key.iter().any(|known| known == engine) {
                key.push(engine.to_owned());
            }
        }
        EngineKey(key)
    }

    fn uses_letters(&self) -> bool {
        self.0.len() > 1 || self.0.iter().any(|engine| engine.chars().count() > SHORT_NAME)
    }

    /// What a legend calls an engine: its letter, or its short name where there is no other.
    pub(crate) fn name(&self, engine: &str) -> String {
        match self.0.iter().position(|known| known == engine) {
            Some(index) if self.uses_letters() => letter(index),
            _ => engine.to_owned(),
        }
    }

    /// A row for each letter.
    pub(crate) fn notes(&self) -> Vec<String> {
        if !self.uses_letters() {
            return Vec::new();
        }
        self.0.iter().enumerate().map(|(index, engine)| format!("engine {}: {engine}", letter(index))).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_go_on_after_z() {
        assert_eq!([0, 25, 26, 53].map(letter), ["A", "Z", "A1", "B2"]);
    }

    #[test]
    fn one_short_engine_keeps_its_name_and_several_get_letters() {
        let one = EngineKey::of(["builtin", "builtin"]);
        assert_eq!((one.name("builtin"), one.notes()), ("builtin".to_owned(), Vec::new()));
        let two = EngineKey::of(["builtin", "builtin:swept=off", "builtin"]);
        assert_eq!([two.name("builtin"), two.name("builtin:swept=off")], ["A", "B"]);
        assert_eq!(two.notes(), ["engine A: builtin", "engine B: builtin:swept=off"]);
        let long = EngineKey::of(["builtin:swept=off,warm-start=off"]);
        assert_eq!((long.name("builtin:swept=off,warm-start=off"), long.notes().len()), ("A".to_owned(), 1));
    }
}
