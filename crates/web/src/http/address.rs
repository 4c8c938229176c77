//! What addresses hold: parts of their paths, and queries of `name=value` pairs, encoded.

use axum::extract::FromRequestParts;
use axum::http::request::Parts;
use serde::de::DeserializeOwned;

use crate::http::error::WebError;

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
    form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish()
}

/// A text that holds neither colons nor commas, from which [`decoded`] makes it again.
pub(crate) fn encoded(text: &str) -> String {
    form_urlencoded::byte_serialize(text.as_bytes()).collect()
}

/// What [`encoded`] encoded; a plain text stays as it is.
pub(crate) fn decoded(text: &str) -> String {
    let query = format!("={text}");
    form_urlencoded::parse(query.as_bytes()).next().map_or_else(|| text.into(), |pair| pair.1.into_owned())
}

#[cfg(test)]
mod tests {
    #[test]
    fn encodes_what_is_special() {
        assert_eq!(super::query([("a", "1 & 2".to_string()), ("b", "x".to_string())]), "a=1+%26+2&b=x");
        assert_eq!(super::decoded(&super::encoded("DE*A:1,2 &=+%")), "DE*A:1,2 &=+%");
        assert_eq!(super::decoded("s1"), "s1");
    }
}
