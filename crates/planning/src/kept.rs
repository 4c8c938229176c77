//! Solved trips that are kept for a while: a person who drags a departure asks the same solved trip a hundred times.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

/// How many are kept where nothing else is said.
const USUAL: usize = 12;

/// The things solved last, by what they were solved for.
#[derive(Debug)]
pub struct Kept<T> {
    most: usize,
    last: Mutex<VecDeque<(String, T)>>,
}

impl<T> Default for Kept<T> {
    fn default() -> Self {
        Self::at_most(USUAL)
    }
}

impl<T> Kept<T> {
    /// Keeps so many.
    pub fn at_most(most: usize) -> Self {
        Self { most, last: Mutex::new(VecDeque::new()) }
    }
}

impl<T: Clone> Kept<T> {
    /// What was solved for a key, if it is still kept.
    pub fn get(&self, key: &str) -> Option<T> {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let at = last.iter().position(|(kept, _)| kept == key)?;
        let found = last.remove(at)?;
        let value = found.1.clone();
        last.push_back(found);
        Some(value)
    }

    /// Keeps what was solved for a key; the one that was asked for longest ago goes.
    pub fn put(&self, key: String, value: T) {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        last.retain(|(kept, _)| *kept != key);
        last.push_back((key, value));
        while last.len() > self.most {
            last.pop_front();
        }
    }

    /// Forgets all of them: what they were solved from has changed.
    pub fn clear(&self) {
        self.last.lock().unwrap_or_else(PoisonError::into_inner).clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_one_asked_for_longest_ago_goes() {
        let kept = Kept::at_most(12);
        (0..12).for_each(|index| kept.put(index.to_string(), index));
        assert_eq!(kept.get("0"), Some(0));
        kept.put("new".into(), 99);
        assert_eq!((kept.get("0"), kept.get("1"), kept.get("2"), kept.get("new")), (Some(0), None, Some(2), Some(99)));
        kept.clear();
        assert_eq!(kept.get("0"), None);
    }
}
