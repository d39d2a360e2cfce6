//! Lines of the protocol, and texts of the C interface.

use super::bytes;
use ironspin_link::{Served, inlets, serve};
use ironspin_model::EngineError;

/// Lines of a conversation with an engine.
fn lines(text: &str) -> Vec<Vec<u8>> {
    text.lines().map(bytes).collect()
}

pub(super) fn answers() -> Vec<Vec<u8>> {
    lines(include_str!("../../seeds/answers.jsonl"))
}

pub(super) fn answer(input: &[u8]) -> Result<bool, String> {
    Ok(std::str::from_utf8(input).is_ok_and(inlets::answer))
}

pub(super) fn calls() -> Vec<Vec<u8>> {
    let all = lines(include_str!("../../seeds/calls.jsonl"));
    // Each conversation as one input: a world is built before it is stepped.
    let mut conversations: Vec<Vec<u8>> = Vec::new();
    for line in all {
        if line.windows(7).any(|window| window == b"\"hello\"") || conversations.is_empty() {
            conversations.push(Vec::new());
        }
        if let Some(last) = conversations.last_mut() {
            last.extend_from_slice(&line);
            last.push(b'\n');
        }
    }
    conversations
}

pub(super) fn call(input: &[u8]) -> Result<bool, String> {
    // Very many steps are the asker's own wish.
    if input.len() > 100_000 || std::str::from_utf8(input).is_err() {
        return Ok(false);
    }
    let start = |options: &[(String, String)]| -> Result<Box<dyn ironspin_model::Engine>, EngineError> {
        ironspin_link::start_builtin(options)
    };
    let mut out = Vec::new();
    serve(Served { start: &start, hello: None, follow: None, in_bytes: false }, &mut &input[..], &mut out)
        .map_err(|error| error.to_string())?;
    Ok(!out.windows(8).any(|window| window == b"\"error\":"))
}

pub(super) fn descriptions() -> Vec<Vec<u8>> {
    let hello = answers().into_iter().find(|line| line.windows(9).any(|window| window == b"\"engine\":"));
    let own = "{\"engine\":{\"name\":\"quay\",\"version\":\"1\"},\"spaces\":[2,3],\"scalar\":\"f32\",\"shapes\":[\"disc\",\"box\"],\"features\":[\"contacts\",\"ray\"],\"options\":{\"iterations\":{\"about\":\"x\",\"default\":8}}}";
    [Some(bytes(own)), hello].into_iter().flatten().collect()
}

pub(super) fn describe(input: &[u8]) -> Result<bool, String> {
    Ok(std::str::from_utf8(input).is_ok_and(inlets::described))
}
