//! How often passwords, codes and tokens may be guessed: so many a minute from one address, and for one name.

use std::collections::HashMap;
use std::net::IpAddr;
use std::num::NonZeroU32;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};

/// Guesses a minute from one address,
const BY_ADDRESS: NonZeroU32 = NonZeroU32::new(10).expect("more than none");
/// and of one name's password, from wherever.
const BY_NAME: NonZeroU32 = NonZeroU32::new(30).expect("more than none");
/// Whoever guessed too often waits so long.
const WAIT: Duration = Duration::from_mins(1);

/// The guesses of late.
pub(crate) struct Guesses {
    by_address: DefaultKeyedRateLimiter<IpAddr>,
    by_name: DefaultKeyedRateLimiter<String>,
    /// Addresses that sent wrong tokens too often, and until when nothing is heard from them.
    shut_out: Mutex<HashMap<IpAddr, Instant>>,
}

impl Default for Guesses {
    fn default() -> Self {
        Self {
            by_address: RateLimiter::keyed(Quota::per_minute(BY_ADDRESS)),
            by_name: RateLimiter::keyed(Quota::per_minute(BY_NAME)),
            shut_out: Mutex::default(),
        }
    }
}

impl Guesses {
    /// Whether one more guess of a name's password may be made from an address.
    pub(crate) fn may_guess(&self, address: IpAddr, name: &str) -> bool {
        self.by_address.retain_recent();
        self.by_name.retain_recent();
        self.by_address.check_key(&address).is_ok() && self.by_name.check_key(&name.to_lowercase()).is_ok()
    }

    /// Whether tokens are heard from an address.
    pub(crate) fn is_heard(&self, address: IpAddr) -> bool {
        let mut shut_out = self.shut_out.lock().unwrap_or_else(PoisonError::into_inner);
        shut_out.retain(|_, until| *until > Instant::now());
        !shut_out.contains_key(&address)
    }

    /// A wrong token came from an address.
    pub(crate) fn wrong_token(&self, address: IpAddr) {
        if self.by_address.check_key(&address).is_err() {
            let mut shut_out = self.shut_out.lock().unwrap_or_else(PoisonError::into_inner);
            shut_out.insert(address, Instant::now() + WAIT);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::net::Ipv4Addr;

    #[test]
    fn who_guesses_too_often_waits_and_others_do_not() {
        let guesses = Guesses::default();
        let (one, other) = (IpAddr::V4(Ipv4Addr::new(10, 0, 0, 1)), IpAddr::V4(Ipv4Addr::new(10, 0, 0, 2)));
        let tries = (0..50).filter(|_| guesses.may_guess(one, "Ada")).count();
        assert_eq!(tries, 10);
        assert!(guesses.may_guess(other, "ada"));
        // A name is guessed no more often from a hundred addresses.
        let from_everywhere = |index: u8| guesses.may_guess(IpAddr::V4(Ipv4Addr::new(10, 0, 1, index)), "ADA");
        assert!((0..100).filter(|&index| from_everywhere(index)).count() <= 30);
        assert!(guesses.is_heard(one));
        (0..20).for_each(|_| guesses.wrong_token(one));
        assert!(!guesses.is_heard(one) && guesses.is_heard(other));
    }
}
