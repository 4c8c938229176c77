//! What addresses hold: parts of their paths, and queries of `name=value` pairs, encoded.

use axum::extract::FromRequestParts;
use axum::http::request::Parts;
use serde::de::DeserializeOwned;

use crate::error::WebError;

/// Parts of an address's path. One that is not of its type, such as a number that is none, is an address with nothing at it.
pub(crate) struct Path<T>(pub(crate) T);

impl<S: Send + Sync, T: DeserializeOwned + Send> FromRequestParts<S> for Path<T> {
    type Rejection = WebError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, WebError> {
        let path = axum::extract::Path::from_request_parts(parts, state).await;
        path.map(|path| Self(path.0)).map_err(|_| WebError::NotFound)
    }
}

/// Encodes pairs as a query without its question mark.
pub(crate) fn query<'a>(pairs: impl IntoIterator<Item = (&'a str, String)>) -> String {
    let encode = |text: &str| -> String {
        text.bytes()
            .map(|byte| match byte {
                b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b'~' | b':' | b',' => {
                    char::from(byte).to_string()
                }
                _ => format!("%{byte:02X}"),
            })
            .collect()
    };
    let pairs: Vec<String> = pairs.into_iter().map(|(name, value)| format!("{name}={}", encode(&value))).collect();
    pairs.join("&")
}

#[cfg(test)]
mod tests {
    #[test]
    fn encodes_what_is_special() {
        assert_eq!(
            super::query([("a", "1 & 2".to_string()), ("leave", "s1:60.5,s2:7".to_string())]),
            "a=1%20%26%202&leave=s1:60.5,s2:7"
        );
    }
}
