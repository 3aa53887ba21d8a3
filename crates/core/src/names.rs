//! One append-only table of interned words: keys, ids, kinds, words of choices.
//!
//! Texts that are not looked up by equality are never put here; they stay spans of their files.

use std::hash::{BuildHasher, Hasher};
use std::sync::RwLock;

use hashbrown::HashTable;
use rustc_hash::FxBuildHasher;
use smol_str::SmolStr;

/// An interned word. Equal words of one [`Names`] have equal symbols.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Debug)]
pub struct Sym(pub(crate) u32);

impl Sym {
    /// The key of list entries and other values that have none.
    pub(crate) const NONE: Sym = Sym(u32::MAX);
}

/// The table of interned words. Shared by all threads that read files.
pub struct Names {
    /// Most are short enough to stand in the table itself.
    words: boxcar::Vec<SmolStr>,
    /// Symbols, each with a part of its hash: so growing and most comparing needs no word.
    index: RwLock<HashTable<(u32, Sym)>>,
}

impl std::fmt::Debug for Names {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Names({} words)", self.words.count())
    }
}

impl Default for Names {
    fn default() -> Self {
        Self::new()
    }
}

fn hash(word: &str) -> u64 {
    let mut hasher = FxBuildHasher.build_hasher();
    hasher.write(word.as_bytes());
    hasher.finish()
}

/// The part of a hash that is kept.
fn short(hashed: u64) -> u32 {
    (hashed >> 32) as u32 ^ hashed as u32
}

/// The kept part as the hash that the table wants, which takes its bits from both ends.
fn spread(part: u32) -> u64 {
    u64::from(part).wrapping_mul(0x9e37_79b9_7f4a_7c15)
}

impl Names {
    /// An empty table.
    pub fn new() -> Self {
        Names { words: boxcar::Vec::new(), index: RwLock::new(HashTable::new()) }
    }

    /// The symbol of a word, made if it is new.
    pub fn intern(&self, word: &str) -> Sym {
        self.intern_hashed(word, hash(word))
    }

    fn intern_hashed(&self, word: &str, hashed: u64) -> Sym {
        if let Some(sym) = self.find(word, hashed) {
            return sym;
        }
        let part = short(hashed);
        let mut index = self.index.write().expect("no writer of the table panics");
        let same = |(known, sym): &(u32, Sym)| *known == part && self.text(*sym) == word;
        let found = index.entry(spread(part), same, |(known, _)| spread(*known));
        match found {
            hashbrown::hash_table::Entry::Occupied(known) => known.get().1,
            hashbrown::hash_table::Entry::Vacant(free) => {
                let at = self.words.push(word.into());
                let sym = Sym(u32::try_from(at).expect("fewer than 2^32 words fit into memory"));
                free.insert((part, sym));
                sym
            }
        }
    }

    fn find(&self, word: &str, hashed: u64) -> Option<Sym> {
        let index = self.index.read().expect("no writer of the table panics");
        let part = short(hashed);
        index.find(spread(part), |(known, sym)| *known == part && self.text(*sym) == word).map(|(_, sym)| *sym)
    }

    /// The symbol of a word that is already known.
    pub fn get(&self, word: &str) -> Option<Sym> {
        self.find(word, hash(word))
    }

    /// Many look-ups under one lock. No word may be made while it lives.
    pub(crate) fn reader(&self) -> NameReader<'_> {
        NameReader { names: self, index: self.index.read().expect("no writer of the table panics") }
    }

    /// The word of a symbol; empty for a symbol of another table.
    pub fn text(&self, sym: Sym) -> &str {
        self.words.get(sym.0 as usize).map_or("", SmolStr::as_str)
    }
}

/// Look-ups without taking the lock each time.
pub(crate) struct NameReader<'n> {
    names: &'n Names,
    index: std::sync::RwLockReadGuard<'n, HashTable<(u32, Sym)>>,
}

impl NameReader<'_> {
    pub(crate) fn get(&self, word: &str) -> Option<Sym> {
        let part = short(hash(word));
        let same = |(known, sym): &(u32, Sym)| *known == part && self.names.text(*sym) == word;
        self.index.find(spread(part), same).map(|(_, sym)| *sym)
    }

    /// As [`NameReader::get`] for many words, `Sym::NONE` where there is none: each is looked up in the index first, and
    /// compared later, so that waiting for the memory of one goes on beside that of others.
    pub(crate) fn get_all(&self, words: &[impl AsRef<str>]) -> Vec<Sym> {
        let parts: Vec<u32> = words.iter().map(|word| short(hash(word.as_ref()))).collect();
        let likely = |part: &u32| self.index.find(spread(*part), |(known, _)| known == part).map_or(Sym::NONE, |f| f.1);
        let mut found: Vec<Sym> = parts.iter().map(likely).collect();
        for (sym, word) in found.iter_mut().zip(words) {
            // another word may have the same part of its hash
            if *sym != Sym::NONE && self.names.text(*sym) != word.as_ref() {
                *sym = self.get(word.as_ref()).unwrap_or(Sym::NONE);
            }
        }
        found
    }
}

/// A small direct-mapped cache in front of [`Names`], one per reading thread.
pub(crate) struct NameCache<'n> {
    names: &'n Names,
    slots: Vec<(Sym, &'n str)>,
    /// The key that followed each key when it was last read: tables of one kind have the same keys in the same order.
    followed: Vec<(Sym, &'n str)>,
    /// The place in it of the key that was read last.
    last: usize,
}

impl<'n> NameCache<'n> {
    const SLOTS: usize = 1024;

    pub(crate) fn new(names: &'n Names) -> Self {
        let slots = vec![(Sym::NONE, ""); Self::SLOTS];
        NameCache { names, followed: slots.clone(), slots, last: 0 }
    }

    /// The key that `text` begins with and `quote` ends, if it is the one that followed the last key before.
    pub(crate) fn expected(&mut self, text: &[u8], quote: u8) -> Option<(Sym, usize)> {
        let (sym, word) = *self.followed.get(self.last)?;
        let found = !word.is_empty() && text.get(word.len()) == Some(&quote) && text.starts_with(word.as_bytes());
        found.then(|| {
            self.last = sym.0 as usize % Self::SLOTS;
            (sym, word.len())
        })
    }

    /// As [`NameCache::intern`], of a key in which every byte stands for itself; it is expected again behind the key
    /// before it.
    pub(crate) fn intern_key(&mut self, word: &str) -> Sym {
        let sym = self.intern(word);
        if let Some(place) = self.followed.get_mut(self.last) {
            *place = (sym, self.names.text(sym));
        }
        self.last = sym.0 as usize % Self::SLOTS;
        sym
    }

    pub(crate) fn intern(&mut self, word: &str) -> Sym {
        let hashed = hash(word);
        let slot = (hashed >> 40) as usize % Self::SLOTS;
        let Some(place) = self.slots.get_mut(slot) else {
            return self.names.intern_hashed(word, hashed);
        };
        if place.0 != Sym::NONE && place.1 == word {
            return place.0;
        }
        let sym = self.names.intern_hashed(word, hashed);
        *place = (sym, self.names.text(sym));
        sym
    }
}

/// `wick-and-flame` as `Wick and flame`.
pub fn readable(id: &str) -> String {
    let words = id.replace(['-', '_'], " ");
    let mut letters = words.chars();
    letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn equal_words_have_equal_symbols_also_through_a_cache() {
        let names = Names::new();
        let peat = names.intern("peat");
        let mut cache = NameCache::new(&names);
        for word in ["peat", "reed", "", "peat"] {
            let sym = cache.intern(word);
            assert_eq!(names.text(sym), word);
            assert_eq!(sym == peat, word == "peat");
        }
        // what followed a key is expected behind it, and nothing else
        for word in ["peat", "reed", "peat"] {
            cache.intern_key(word);
        }
        assert_eq!(cache.expected(b"reeds\"", b'"'), None);
        assert_eq!(cache.expected(b"ree", b'"'), None);
        assert_eq!(cache.expected(b"reed\": 1", b'"'), Some((names.intern("reed"), 4)));
        assert_eq!(cache.expected(b"peat\"", b'"'), Some((peat, 4)));
        assert_eq!(names.get("reed"), Some(names.intern("reed")));
        assert_eq!(names.get("eel"), None);
        let found = names.reader().get_all(&["reed", "eel", "peat"]);
        assert_eq!(found, [names.intern("reed"), Sym::NONE, peat]);
    }
}
