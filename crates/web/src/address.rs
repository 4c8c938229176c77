//! Queries in addresses: `name=value` pairs, encoded.

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
