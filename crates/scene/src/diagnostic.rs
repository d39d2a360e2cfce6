//! Mistakes in a scene file, with their place.

use std::ops::Range;
use std::sync::Arc;

/// Where in a file a mistake stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place {
    /// Name of the file as the user gave it.
    pub file: String,
    /// The whole text of the file.
    pub text: Arc<str>,
    /// Bytes of the offending text.
    pub span: Range<usize>,
}

impl Place {
    /// Line of the offending text, counted from 1.
    pub fn line(&self) -> usize {
        let upto = self.span.start.min(self.text.len());
        self.text.as_bytes()[..upto].iter().filter(|&&b| b == b'\n').count() + 1
    }
}

/// A mistake in a scene, or in a setting given for it.
#[derive(Clone, Debug, thiserror::Error)]
#[error("{message}")]
pub struct SceneError {
    /// What is wrong, in a sentence.
    pub message: String,
    /// What was found there, in a few words; stands beside the offending text.
    pub label: String,
    /// What to write instead.
    pub help: Option<String>,
    /// Where; absent when the mistake is not in a file (a missing file, a wrong setting).
    pub place: Option<Box<Place>>,
}

impl SceneError {
    /// A mistake that stands in no file.
    pub fn without_place(message: impl Into<String>, help: Option<String>) -> Self {
        SceneError { message: message.into(), label: String::new(), help, place: None }
    }
}

/// A mistake known by its bytes only; [`crate::Scene`] adds the file.
#[derive(Clone, Debug)]
pub(crate) struct Diagnostic {
    pub(crate) message: String,
    pub(crate) label: String,
    pub(crate) help: Option<String>,
    pub(crate) span: Option<Range<usize>>,
}

impl Diagnostic {
    pub(crate) fn at(span: Range<usize>, message: impl Into<String>) -> Self {
        Diagnostic { message: message.into(), label: "here".to_owned(), help: None, span: Some(span) }
    }

    pub(crate) fn nowhere(message: impl Into<String>) -> Self {
        Diagnostic { message: message.into(), label: String::new(), help: None, span: None }
    }

    pub(crate) fn label(mut self, label: impl Into<String>) -> Self {
        self.label = label.into();
        self
    }

    pub(crate) fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// Adds the nearest known name, or the list of all, as help.
    pub(crate) fn help_names<'a>(self, found: &str, known: impl IntoIterator<Item = &'a str>) -> Self {
        let known: Vec<&str> = known.into_iter().collect();
        match ironspin_model::nearest(found, known.iter().copied()) {
            Some(name) => self.help(format!("did you mean `{name}`?")),
            None if known.is_empty() => self.help("there is none to choose from"),
            None => self.help(format!("known here: {}", known.join(", "))),
        }
    }

    /// Finds the file in which the mistake stands.
    pub(crate) fn in_sources(self, sources: &[Source]) -> SceneError {
        let place = self.span.and_then(|span| {
            let source = sources.iter().rev().find(|source| span.start >= source.offset)?;
            let span = span.start - source.offset..span.end.saturating_sub(source.offset);
            Some(Box::new(Place { file: source.origin.clone(), text: Arc::clone(&source.text), span }))
        });
        SceneError { message: self.message, label: self.label, help: self.help, place }
    }
}

/// A file of a scene. Places in it count from `offset`, so that those of several files never coincide.
#[derive(Clone, Debug)]
pub(crate) struct Source {
    pub(crate) origin: String,
    pub(crate) text: Arc<str>,
    pub(crate) offset: usize,
}
