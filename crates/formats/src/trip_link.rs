//! A whole trip in a link: the trip's file, deflated, as letters for an address or as digits for a QR code, where digits take the
//! least room (ISO/IEC 18004 packs three of them into ten bits).

use std::io::{Read, Write};

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use flate2::Compression;
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use serde_json::Value;

use crate::FormatError;

/// Most bytes of a trip's file in a link.
const MOST_BYTES: u64 = 4_000_000;
/// What begins a link in letters: no digits begin so.
const LETTERS: char = 'z';
/// Digits that hold so many bytes.
const DIGITS: [usize; 8] = [0, 3, 5, 8, 10, 13, 15, 17];
/// Bytes that are told by digits together.
const TOGETHER: usize = 7;
/// Figures of a curve in a link are told to a hundredth.
const HUNDREDTH: f64 = 100.0;

/// A trip's file as it stands in a link: in letters.
pub fn trip_link(file: &str) -> String {
    format!("{LETTERS}{}", URL_SAFE_NO_PAD.encode(deflated(file)))
}

/// The same in digits alone.
pub fn trip_digits(file: &str) -> String {
    let digits = |part: &[u8]| {
        let number = part.iter().fold(0_u64, |number, &byte| number << 8 | u64::from(byte));
        format!("{number:0width$}", width = DIGITS[part.len()])
    };
    deflated(file).chunks(TOGETHER).map(digits).collect()
}

/// The trip's file in a link.
///
/// # Errors
/// When it is none, or was cut off.
pub fn read_trip_link(link: &str) -> Result<String, FormatError> {
    let wrong = || FormatError::file("holds no trip; expected the whole of a link that Spare Hour made");
    let bytes = match link.strip_prefix(LETTERS) {
        Some(letters) => URL_SAFE_NO_PAD.decode(letters).ok(),
        None => bytes_of_digits(link),
    };
    let mut file = String::new();
    let inflated = DeflateDecoder::new(&*bytes.ok_or_else(wrong)?).take(MOST_BYTES).read_to_string(&mut file);
    match inflated {
        Ok(_) if !file.is_empty() => Ok(file),
        _ => Err(wrong()),
    }
}

fn deflated(file: &str) -> Vec<u8> {
    let short = short(file);
    let mut encoder = DeflateEncoder::new(Vec::new(), Compression::best());
    // Into memory nothing is refused.
    encoder.write_all(short.as_bytes()).and_then(|()| encoder.finish()).unwrap_or_default()
}

/// The file without room, its curve to a hundredth.
fn short(file: &str) -> String {
    let Ok(mut trip) = serde_json::from_str::<Value>(file) else { return file.into() };
    let points = trip.pointer_mut("/vehicle/charge_curve").and_then(Value::as_array_mut);
    for number in points.into_iter().flatten().filter_map(Value::as_object_mut).flat_map(|point| point.values_mut()) {
        if let Some(exact) = number.as_f64() {
            *number = Value::from((HUNDREDTH * exact).round() / HUNDREDTH);
        }
    }
    trip.to_string()
}

fn bytes_of_digits(text: &str) -> Option<Vec<u8>> {
    if !text.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let mut bytes = Vec::with_capacity(text.len() / 2);
    for part in text.as_bytes().chunks(DIGITS[TOGETHER]) {
        let count = DIGITS.iter().position(|&digits| digits == part.len())?;
        let number: u64 = std::str::from_utf8(part).ok()?.parse().ok()?;
        if number >> (8 * count) != 0 {
            return None;
        }
        bytes.extend_from_slice(&number.to_be_bytes()[8 - count..]);
    }
    Some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const EXAMPLE: &str = include_str!("../../../docs/formats/trip.example.json");

    #[test]
    fn a_trip_comes_back_from_letters_and_digits() {
        let wanted = crate::read_trip(EXAMPLE.as_bytes()).unwrap();
        for link in [trip_link(EXAMPLE), trip_digits(EXAMPLE)] {
            let back = crate::read_trip(read_trip_link(&link).unwrap().as_bytes()).unwrap();
            assert_eq!((&back.sites, &back.goal, &back.name), (&wanted.sites, &wanted.goal, &wanted.name));
        }
        assert!(trip_digits(EXAMPLE).bytes().all(|byte| byte.is_ascii_digit()));
    }

    #[test]
    fn what_is_cut_off_or_no_link_is_said() {
        let (letters, digits) = (trip_link(EXAMPLE), trip_digits(EXAMPLE));
        let half = |link: &str| link[..link.len() / 2].to_string();
        for wrong in [
            half(&letters),
            half(&digits),
            String::new(),
            "z".into(),
            "17".into(),
            "z!!".into(),
            "99999999999999999".into(),
        ] {
            assert!(read_trip_link(&wrong).is_err(), "{wrong}");
        }
    }

    proptest! {
        #[test]
        fn any_text_comes_back(text in "\\PC{1,400}") {
            // What is no JSON is told as it is.
            prop_assume!(serde_json::from_str::<Value>(&text).is_err());
            prop_assert_eq!(read_trip_link(&trip_link(&text)).unwrap(), text.clone());
            prop_assert_eq!(read_trip_link(&trip_digits(&text)).unwrap(), text);
        }
    }
}
