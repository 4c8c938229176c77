//! What a form showed of something kept goes along with it as a mark, so that a change to what was changed meanwhile, by another page or
//! somebody else, says so instead of putting the older state back.

use std::fmt::Debug;

use crate::household::token_hash;
use crate::http::error::WebError;

/// Digits of a mark.
const DIGITS: usize = 16;

/// The mark of something as it is kept.
pub(crate) fn mark(kept: &impl Debug) -> String {
    token_hash(&format!("{kept:?}"))[..DIGITS].to_string()
}

/// Refuses a change to something that is not as the form showed it. Who sends no mark has not looked.
pub(crate) fn must_be_as_seen(seen: &str, kept: &impl Debug) -> Result<(), WebError> {
    if seen.is_empty() || seen == mark(kept) { Ok(()) } else { Err(WebError::ChangedMeanwhile) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mark_tells_whether_something_was_changed() {
        let seen = mark(&("Tern", 60.0));
        assert_eq!(seen.len(), DIGITS);
        assert!(must_be_as_seen(&seen, &("Tern", 60.0)).is_ok() && must_be_as_seen("", &("Tern", 60.1)).is_ok());
        assert!(matches!(must_be_as_seen(&seen, &("Tern", 60.1)), Err(WebError::ChangedMeanwhile)));
    }
}
