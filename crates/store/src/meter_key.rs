//! Tokens of meters: made of a number that is kept with the charge and a key that is kept in a file beside the database, so that
//! whoever reads the database alone feeds no charge. A token ends with its charge.

use std::fs::OpenOptions;
use std::io::{ErrorKind, Write};

use diesel::prelude::*;
use diesel::sql_types::Text;
use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;

use crate::schema::live_charges;
use crate::{Result, Store, StoreError, StoredLiveCharge};

/// Name of the key's file, in the directory of the database.
const FILE: &str = "meter.key";
/// Hexadecimal digits of a token: 128 bits.
const DIGITS: usize = 32;

#[derive(QueryableByName)]
struct Random {
    #[diesel(sql_type = Text)]
    digits: String,
}

impl Store {
    /// What a meter names to feed readings to a charge.
    ///
    /// # Errors
    /// When the key cannot be read or made.
    pub fn meter_token(&self, charge: &StoredLiveCharge) -> Result<String> {
        Ok(token(&self.meter_key()?, &charge.about.nonce))
    }

    /// The charge that a meter's token names, while it is not ended.
    ///
    /// # Errors
    /// When the database refuses, or the key cannot be read.
    pub fn charge_of_token(&self, named: &str) -> Result<Option<i32>> {
        let key = self.meter_key()?;
        let open: Vec<(i32, String)> = live_charges::table
            .filter(live_charges::session_id.is_null())
            .select((live_charges::id, live_charges::token))
            .load(&mut *self.connection()?)?;
        Ok(open.into_iter().find(|(_, nonce)| token(&key, nonce) == named).map(|(id, _)| id))
    }

    /// The key; it is made, for this machine's user alone, where there is none.
    fn meter_key(&self) -> Result<String> {
        let path = self.path().with_file_name(FILE);
        let unusable = |error: &std::io::Error| StoreError::Unusable { path: path.clone(), problem: error.to_string() };
        match std::fs::read_to_string(&path) {
            Ok(key) if !key.trim().is_empty() => return Ok(key),
            Ok(_) => {}
            Err(error) if error.kind() == ErrorKind::NotFound => {}
            Err(error) => return Err(unusable(&error)),
        }
        let random: Random =
            diesel::sql_query("SELECT hex(randomblob(32)) AS digits").get_result(&mut *self.connection()?)?;
        let mut options = OpenOptions::new();
        options.write(true).create(true).truncate(true);
        #[cfg(unix)]
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
        let mut file = options.open(&path).map_err(|error| unusable(&error))?;
        file.write_all(random.digits.as_bytes()).and_then(|()| file.sync_all()).map_err(|error| unusable(&error))?;
        Ok(random.digits)
    }
}

/// HMAC-SHA-256 (RFC 2104) of a number under a key, as hexadecimal digits.
fn token(key: &str, nonce: &str) -> String {
    let mut mac = Hmac::<Sha256>::new_from_slice(key.trim().as_bytes()).expect("a key of any length");
    mac.update(nonce.as_bytes());
    mac.finalize().into_bytes().iter().map(|byte| format!("{byte:02x}")).collect::<String>()[..DIGITS].to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_token_is_the_standards_own() {
        // RFC 4231, test case 2.
        assert_eq!(token("Jefe", "what do ya want for nothing?"), "5bdcc146bf60754e6a042426089575c7");
    }
}
