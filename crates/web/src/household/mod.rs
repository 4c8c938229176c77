//! Who asks, where the app is served to a network: who is signed in, what each may do and see, how often may be guessed.

pub(crate) mod guard;
mod guesses;
mod passwords;
mod sign_ins;

use std::net::{IpAddr, Ipv4Addr};

use axum::extract::Request;
use spare_hour_store::Person;

pub(crate) use guesses::Guesses;
pub(crate) use passwords::{hash_of, verify};
pub use passwords::{new_token, token_hash};
pub(crate) use sign_ins::SignIns;

tokio::task_local! {
    /// Whom the request that is answered comes from.
    static WHO: Person;
}

/// Whom the request that is answered comes from; `None` where nobody has to sign in.
pub(crate) fn who() -> Option<Person> {
    WHO.try_with(Clone::clone).ok()
}

/// Where a request comes from.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Peer(pub(crate) IpAddr);

impl Peer {
    /// Where a request comes from; this machine where nothing says otherwise.
    pub(crate) fn of(request: &Request) -> IpAddr {
        request.extensions().get::<Self>().map_or(IpAddr::V4(Ipv4Addr::LOCALHOST), |peer| peer.0)
    }
}
