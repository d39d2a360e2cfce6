//! How far the shares of a sweep or proof are.

use ironspin_lab::{FarmState, ShareState};

/// Narrowest that last words are clipped to, letters.
const NARROWEST: usize = 20;

/// A line for the whole, one a share, one for the join.
pub fn farm_table(state: &FarmState, width: usize) -> String {
    let shares = state.shares.len();
    let plural = if shares == 1 { "" } else { "s" };
    let mut out =
        format!("{} of {} trials are finished; {shares} share{plural} on {}\n", state.done, state.planned, state.on);
    if let Some(why) = &state.unknown {
        out += &format!("what is waiting or running is not known: {why}\n");
    } else if !state.jobs.is_empty() {
        let more = state.jobs.len().saturating_sub(6);
        let named: Vec<&str> = state.jobs.iter().take(6).map(String::as_str).collect();
        out += &format!(
            "at work: {}{}\n",
            named.join(", "),
            if more > 0 { format!(" and {more} more") } else { String::new() }
        );
    }
    let trials = |share: &ShareState| format!("{} of {}", share.done, share.trials);
    let node = |share: &ShareState| share.node.clone().unwrap_or_default();
    let widest = |text: &dyn Fn(&ShareState) -> String, head: &str| {
        state.shares.iter().map(|share| text(share).chars().count()).max().unwrap_or(0).max(head.len())
    };
    let (wide, nodes) = (widest(&trials, "trials"), widest(&node, "node"));
    let line = |share: &str, how: &str, trials: &str, node: &str, words: &str| {
        format!("{share:>5}  {how:<7}  {trials:<wide$}  {node:<nodes$}  {words}").trim_end().to_owned() + "\n"
    };
    if shares > 0 {
        out += &line("share", "state", "trials", "node", "last words");
    }
    let room = width.saturating_sub(5 + 7 + wide + nodes + 8).max(NARROWEST);
    for share in &state.shares {
        let words = share.last_words.as_deref().unwrap_or_default();
        let clipped: String = match words.chars().count() > room {
            true => words.chars().take(room - 3).chain("...".chars()).collect(),
            false => words.to_owned(),
        };
        out += &line(&share.share.to_string(), share.state.word(), &trials(share), &node(share), &clipped);
    }
    let status = state.status.map_or_else(String::new, |status| format!(", with status {status}"));
    out + &format!(" join  {}{status}\n", state.join.word())
}
