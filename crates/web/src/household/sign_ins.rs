//! Signed-in browsers in the database: of the secret that a browser holds, only a hash.

use std::fmt;

use async_trait::async_trait;
use spare_hour_store::{Store, StoreError};
use tower_sessions::SessionStore;
use tower_sessions::cookie::time::OffsetDateTime;
use tower_sessions::session::{Id, Record};
use tower_sessions::session_store::{Error, Result};

use super::token_hash;

/// The browsers that are signed in.
#[derive(Clone)]
pub(crate) struct SignIns(pub(crate) Store);

impl fmt::Debug for SignIns {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("SignIns")
    }
}

impl SignIns {
    async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Store) -> std::result::Result<T, StoreError> + Send + 'static,
    ) -> Result<T> {
        let store = self.0.clone();
        let done = tokio::task::spawn_blocking(move || work(&store)).await;
        done.map_err(|error| Error::Backend(error.to_string()))?.map_err(|error| Error::Backend(error.to_string()))
    }
}

#[async_trait]
impl SessionStore for SignIns {
    async fn save(&self, record: &Record) -> Result<()> {
        let data = serde_json::to_string(&record.data).map_err(|error| Error::Encode(error.to_string()))?;
        let (id, until) = (token_hash(&record.id.to_string()), record.expiry_date.unix_timestamp());
        let now = OffsetDateTime::now_utc().unix_timestamp();
        self.run(move |store| store.keep_sign_in(&id, &data, until, now)).await
    }

    async fn load(&self, id: &Id) -> Result<Option<Record>> {
        let (hash, now) = (token_hash(&id.to_string()), OffsetDateTime::now_utc().unix_timestamp());
        let Some((data, until)) = self.run(move |store| store.sign_in(&hash, now)).await? else { return Ok(None) };
        let data = serde_json::from_str(&data).map_err(|error| Error::Decode(error.to_string()))?;
        let expiry_date =
            OffsetDateTime::from_unix_timestamp(until).map_err(|error| Error::Decode(error.to_string()))?;
        Ok(Some(Record { id: *id, data, expiry_date }))
    }

    async fn delete(&self, id: &Id) -> Result<()> {
        let hash = token_hash(&id.to_string());
        self.run(move |store| store.forget_sign_in(&hash)).await
    }
}
