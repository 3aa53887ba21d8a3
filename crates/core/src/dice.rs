//! Chance that comes again with its seed, for tests on random collections.

/// The same numbers for the same seed.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    /// Those of a seed: seeds that follow each other do not give like numbers.
    pub(crate) fn seeded(seed: u64) -> Dice {
        Dice(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    pub(crate) fn roll(&mut self, below: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % below
    }

    #[cfg(test)]
    pub(crate) fn chance(&mut self, percent: u64) -> bool {
        self.roll(100) < percent
    }

    #[cfg(test)]
    pub(crate) fn of<'t>(&mut self, all: &[&'t str]) -> &'t str {
        all[self.roll(all.len() as u64) as usize]
    }
}
