//! Two parts of one charge, joined.

use spare_hour_core::session::join::Joined;

/// How they were joined, as it is noted with the session.
pub fn note(joined: &Joined) -> String {
    format!(
        "joined at {:.0} %; from {:.0} to {:.0} % the first part took {:.1} min, the second {:.1} min",
        joined.overlap.1.get(),
        joined.overlap.0.get(),
        joined.overlap.1.get(),
        joined.first_took.get(),
        joined.second_took.get(),
    )
}
