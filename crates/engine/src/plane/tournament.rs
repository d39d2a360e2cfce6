//! The earliest of all bodies' next impacts, found by a tournament.
//!
//! Source: Lubachevsky, "How to simulate billiards and similar systems" (1991), section 5.

/// The next impact of a body: when, and with whom.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Next {
    pub(crate) time: f64,
    pub(crate) partner: u32,
}

pub(crate) const NEVER: Next = Next { time: f64::INFINITY, partner: u32::MAX };

/// Players, each with its next impact; each match is played again when one of its players changes.
#[derive(Clone, Debug)]
pub(crate) struct Tournament {
    next: Vec<Next>,
    /// Winners from the final (1) down to the players.
    winners: Vec<u32>,
}

impl Tournament {
    pub(crate) fn new(players: usize) -> Self {
        let size = players.next_power_of_two().max(2);
        let mut winners = vec![0; 2 * size];
        for (player, winner) in winners[size..].iter_mut().enumerate() {
            *winner = player as u32;
        }
        let mut tournament = Tournament { next: vec![NEVER; size], winners };
        (0..size as u32).for_each(|player| tournament.enter(player, NEVER));
        tournament
    }

    /// The player that comes first, and when. Of equal times the lower number wins.
    #[inline]
    pub(crate) fn earliest(&self) -> (u32, Next) {
        let winner = self.winners[1];
        (winner, self.next[winner as usize])
    }

    #[inline]
    pub(crate) fn next(&self, player: u32) -> Next {
        self.next[player as usize]
    }

    #[inline(always)]
    pub(crate) fn enter(&mut self, player: u32, next: Next) {
        self.next[player as usize] = next;
        let time = |player: u32| self.next[player as usize].time;
        let mut place = (self.next.len() + player as usize) / 2;
        while place >= 1 {
            let (left, right) = (self.winners[2 * place], self.winners[2 * place + 1]);
            self.winners[place] = if time(right) < time(left) { right } else { left };
            place /= 2;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_earliest_is_found_after_every_change() {
        for players in [1, 2, 3, 7, 8, 9] {
            let mut tournament = Tournament::new(players);
            let mut times = vec![f64::INFINITY; players];
            for turn in 0..400_usize {
                let player = turn * 7 % players;
                times[player] = ((turn * 131) % 97) as f64;
                tournament.enter(player as u32, Next { time: times[player], partner: 0 });
                let least = times.iter().copied().fold(f64::INFINITY, f64::min);
                let first = times.iter().position(|&time| time == least).unwrap();
                assert_eq!(tournament.earliest().0 as usize, first, "{players} players, turn {turn}");
            }
        }
    }
}
