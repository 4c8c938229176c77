//! Passwords as Argon2id hashes with the crate's parameters (19 MiB, 2 passes: OWASP's Password Storage Cheat Sheet, from memory),
//! and tokens that nobody guesses, of which only a hash is kept.

use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use sha2::{Digest, Sha256};
use uuid::Uuid;

use crate::http::error::WebError;

/// The hash of a password, with a salt of its own.
pub(crate) fn hash_of(password: &str) -> Result<String, WebError> {
    Argon2::default().hash_password(password.as_bytes()).map(|hash| hash.to_string()).map_err(|error| {
        tracing::error!("a password could not be hashed: {error}");
        WebError::Failed
    })
}

/// Whether a password is that of a hash. Without a hash it takes as long, so that no answer tells which names there are.
pub(crate) fn verify(password: &str, hash: Option<&str>) -> bool {
    let Some(hash) = hash else {
        let _ = hash_of(password);
        return false;
    };
    let parsed = PasswordHash::new(hash);
    parsed.is_ok_and(|parsed| Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok())
}

/// A token that nobody guesses: 122 random bits, in hexadecimal.
#[must_use]
pub fn new_token() -> String {
    Uuid::new_v4().simple().to_string()
}

/// What is kept of a token: its SHA-256, in hexadecimal.
#[must_use]
pub fn token_hash(token: &str) -> String {
    Sha256::digest(token.trim().as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_password_is_known_again_and_another_is_not() {
        let hash = hash_of("four grey herons").unwrap();
        assert!(hash.starts_with("$argon2id$v=19$") && !hash.contains("heron"));
        assert!(verify("four grey herons", Some(&hash)) && !verify("four grey heron", Some(&hash)));
        assert!(!verify("four grey herons", None) && !verify("", Some("no hash")));
        assert_ne!(hash, hash_of("four grey herons").unwrap());
    }

    #[test]
    fn a_hash_is_the_standards_own() {
        // FIPS 180-4, the example of one block: SHA-256 of "abc".
        assert_eq!(token_hash(" abc\n"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
        assert_ne!(new_token(), new_token());
    }
}
