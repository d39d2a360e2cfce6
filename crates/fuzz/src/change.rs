//! Changes of an input, decided by a seed alone.

/// Numbers at which readers break.
const NUMBERS: [&str; 26] = [
    "0",
    "-0.0",
    "1",
    "-1",
    "2",
    "3",
    "0.5",
    "1e-320",
    "1e308",
    "1e999",
    "-1e308",
    "nan",
    "inf",
    "-inf",
    "9007199254740993",
    "4294967296",
    "18446744073709551615",
    "-9223372036854775808",
    "1e15",
    "199999",
    "1e6",
    "1e-9",
    "0x7fffffff",
    "1_000",
    "65536",
    "127",
];
/// Texts at which readers and terminals break.
const TEXTS: [&str; 18] = [
    "\u{1b}[31m",
    "\u{202e}",
    "\0",
    "\"",
    "'''",
    "\\",
    "[",
    "]",
    "{",
    "}",
    "=",
    ",",
    "\n",
    "#",
    "é",
    "\u{1f600}",
    "..",
    "../",
];

/// SplitMix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number generators", 2014), and what it decides.
pub struct Changer {
    state: u64,
}

impl Changer {
    /// Begins with a seed.
    pub fn new(seed: u64) -> Changer {
        Changer { state: seed }
    }

    fn next(&mut self) -> u64 {
        self.state = self.state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.state;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number below `end`; 0 when that is 0.
    pub fn below(&mut self, end: usize) -> usize {
        usize::try_from(self.next() % (end.max(1) as u64)).unwrap_or(0)
    }

    /// A place in a list.
    pub fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }

    /// An input with one to six changes; `other` is an input that pieces may come from. Changes are by lines and words where it is text.
    pub fn changed(&mut self, input: &[u8], other: &[u8], is_text: bool) -> Vec<u8> {
        let mut changed = input.to_vec();
        for _ in 0..1 + self.below(6) {
            changed = match (is_text, self.below(10)) {
                (true, 0..=2) => self.other_number(&changed),
                (true, 3) => self.other_word(&changed, other),
                (true, 4..=5) => self.other_line(&changed, other),
                (true, 6) => {
                    let text = *self.pick(&TEXTS);
                    let at = self.below(changed.len() + 1);
                    splice(&changed, at..at, text.as_bytes())
                }
                _ => self.other_bytes(&changed, other),
            };
        }
        changed
    }

    fn other_bytes(&mut self, input: &[u8], other: &[u8]) -> Vec<u8> {
        let at = self.below(input.len() + 1);
        let length = self.below(1 + 16.min(input.len() - at));
        match self.below(6) {
            0 => splice(input, at..at + length, &[]),
            1 => input[..at].to_vec(),
            2 => {
                let from = self.below(other.len() + 1);
                let piece = &other[from..from + self.below(1 + 64.min(other.len() - from))];
                splice(input, at..at, piece)
            }
            3 => {
                let piece = input[at..at + length].repeat(1 + self.below(40));
                splice(input, at..at, &piece)
            }
            _ => {
                let mut changed = input.to_vec();
                for byte in &mut changed[at..at + length.min(4)] {
                    *byte = if self.below(2) == 0 { *byte ^ (1 << self.below(8)) } else { self.below(256) as u8 };
                }
                changed
            }
        }
    }

    fn other_number(&mut self, input: &[u8]) -> Vec<u8> {
        let is_part = |byte: u8| byte.is_ascii_digit() || matches!(byte, b'.' | b'e' | b'-');
        let places = runs(input, |byte| byte.is_ascii_digit(), is_part);
        if places.is_empty() {
            return input.to_vec();
        }
        let place = self.pick(&places).clone();
        let number = *self.pick(&NUMBERS);
        splice(input, place, number.as_bytes())
    }

    fn other_word(&mut self, input: &[u8], other: &[u8]) -> Vec<u8> {
        let is_part = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_';
        let (own, theirs) = (runs(input, |byte| byte.is_ascii_alphabetic(), is_part), runs(other, is_part, is_part));
        if own.is_empty() || theirs.is_empty() {
            return input.to_vec();
        }
        let (place, word) = (self.pick(&own).clone(), self.pick(&theirs).clone());
        splice(input, place, &other[word])
    }

    fn other_line(&mut self, input: &[u8], other: &[u8]) -> Vec<u8> {
        let mut lines: Vec<&[u8]> = input.split_inclusive(|&byte| byte == b'\n').collect();
        let theirs: Vec<&[u8]> = other.split_inclusive(|&byte| byte == b'\n').collect();
        if lines.is_empty() || theirs.is_empty() {
            return input.to_vec();
        }
        let at = self.below(lines.len());
        match self.below(4) {
            0 => drop(lines.remove(at)),
            1 => lines.insert(at, theirs[self.below(theirs.len())]),
            2 => lines.insert(at, lines[self.below(lines.len())]),
            _ => {
                let to = self.below(lines.len());
                lines.swap(at, to);
            }
        }
        lines.concat()
    }
}

/// Runs of bytes that begin in one way and go on in another.
fn runs(input: &[u8], begins: impl Fn(u8) -> bool, goes_on: impl Fn(u8) -> bool) -> Vec<std::ops::Range<usize>> {
    let mut found = Vec::new();
    let mut at = 0;
    while at < input.len() {
        if !begins(input[at]) {
            at += 1;
            continue;
        }
        let end = input[at..].iter().position(|&byte| !goes_on(byte)).map_or(input.len(), |length| at + length);
        let end = end.max(at + 1);
        found.push(at..end);
        at = end;
    }
    found
}

fn splice(input: &[u8], place: std::ops::Range<usize>, by: &[u8]) -> Vec<u8> {
    [&input[..place.start], by, &input[place.end..]].concat()
}
