//! What scenes are about: the one table of topics, from which lists, docs and reports are made.

/// One topic.
#[derive(Debug)]
pub struct Topic {
    /// As it is typed, in `topics = [...]` and `--topic`.
    pub name: &'static str,
    /// What its scenes ask, in a line.
    pub about: &'static str,
    /// Codes by which older scene files name it in `needs`.
    codes: &'static [&'static str],
}

const fn topic(name: &'static str, about: &'static str, codes: &'static [&'static str]) -> Topic {
    Topic { name, about, codes }
}

/// All topics, in the order in which they are best met.
pub static TOPICS: [Topic; 28] = [
    topic("set-up", "is the world set up as meant: units, axes, full sizes, mass, gravity?", &["N1"]),
    topic("stacking", "do stacks, walls and pyramids stand under their load?", &["N2"]),
    topic("rest", "does what rests stop shaking, and neither creep nor sink?", &["N13"]),
    topic("bouncing", "do things rebound by the restitution of their pair, in speed and in height?", &["N5"]),
    topic("counting", "do bodies collide exactly as often as they must?", &["N4"]),
    topic("tunnelling", "do fast bodies stop at thin ones, resting or moving?", &["N6"]),
    topic("energy", "does energy stay where it must, and never come from nowhere?", &["N11"]),
    topic("momentum", "are momentum and angular momentum handed over and kept?", &["N12"]),
    topic("friction", "do things hold, slide and roll as friction says?", &["N19"]),
    topic(
        "forces",
        "does every force, impulse, torque, damping and gravity factor do what the equations of motion say?",
        &[],
    ),
    topic("joints", "do rods, springs, hinges, sliders and welds hold, with exact periods?", &[]),
    topic(
        "soft-bodies",
        "do nets, ropes and gas-filled skins find their shape, keep their energy and push back?",
        &["N22"],
    ),
    topic("integrators", "how large is the error of the integrator, and of which order?", &["N21"]),
    topic("shapes", "does every shape rest on and collide with every other?", &["N20"]),
    topic("compounds", "do bodies of several parts move and turn as one?", &["N27"]),
    topic("contacts", "are there as many contact points as it takes, and no more?", &["N25"]),
    topic("seams", "does anything trip at seams of level surfaces, or is pushed by nothing?", &["N24"]),
    topic("filters", "do pairs that may not touch pass each other, and all others not?", &["N16"]),
    topic("sensors", "do sensors notice everything and push nothing?", &["N17"]),
    topic("rays", "do rays hit what a body on the same way would hit?", &["N7"]),
    topic("kinematic-bodies", "do belts, lifts and blades carry and push, and nothing push them?", &["N18"]),
    topic("removal", "is what leaves or is taken out gone, and nothing else?", &["N26"]),
    topic("clocks", "does a scene survive uneven frame times and stalls?", &["N8"]),
    topic("scales", "does the unit, the size or the place of a world matter where it must not?", &["N9", "N10"]),
    topic("determinism", "does the same trial give the same bits, whatever it is run on?", &["N14"]),
    topic("chance", "do many random trials spread by the law they must follow?", &["N23"]),
    topic("forecasts", "does a copy of the world tell what will happen?", &["N15"]),
    topic("cost", "what does a step cost as the count grows?", &["N3"]),
];

/// The topic of a name.
pub fn find_topic(name: &str) -> Option<&'static Topic> {
    TOPICS.iter().find(|topic| topic.name == name)
}

/// The topic that an older file means by a code; nothing for a code that names none.
pub(crate) fn topic_of_code(code: &str) -> Option<&'static Topic> {
    TOPICS.iter().find(|topic| topic.codes.contains(&code))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_codes_are_unique_and_every_topic_asks_a_question() {
        for (number, topic) in TOPICS.iter().enumerate() {
            assert!(topic.about.ends_with('?') && topic.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'));
            let earlier = &TOPICS[..number];
            assert!(earlier.iter().all(|other| other.name != topic.name), "{}", topic.name);
            assert!(earlier.iter().all(|other| other.codes.iter().all(|code| !topic.codes.contains(code))));
        }
    }
}
