//! The records of a backup as they come, some at a time.

use std::fmt;
use std::io::{BufReader, Read};

use serde::de::{DeserializeSeed, Deserializer, Error, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::Value;

use super::records::{Field, KINDS, Kind};
use super::{damaged, fields_of};
use crate::{Result, StoreError};

/// Records that are taken in at once.
const AT_ONCE: usize = 100;

/// Takes records of a kind, with the fields that they have.
trait Takes: FnMut(&'static Kind, &[&'static Field], &[Value]) -> Result<()> {}
impl<F: FnMut(&'static Kind, &[&'static Field], &[Value]) -> Result<()>> Takes for F {}

/// Reads a backup and hands on its records, kind by kind as they stand in the file.
pub(super) fn read_records(
    file: impl Read,
    take: impl FnMut(&'static Kind, &[&'static Field], &[Value]) -> Result<()>,
) -> Result<()> {
    let mut json = serde_json::Deserializer::from_reader(BufReader::new(file));
    let mut refused = None;
    let whole = (&mut json).deserialize_map(Whole { take, refused: &mut refused });
    match (refused, whole) {
        (Some(refused), _) => Err(refused),
        (None, Err(error)) => Err(damaged(error.to_string())),
        (None, Ok(())) => Ok(()),
    }
}

/// The whole file.
struct Whole<'a, F> {
    take: F,
    refused: &'a mut Option<StoreError>,
}

impl<'de, F: Takes> Visitor<'de> for Whole<'_, F> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("kinds of records by their names")
    }

    fn visit_map<A: MapAccess<'de>>(mut self, mut map: A) -> std::result::Result<(), A::Error> {
        while let Some(name) = map.next_key::<String>()? {
            match KINDS.iter().find(|kind| kind.name == name) {
                Some(kind) => {
                    map.next_value_seed(Records { kind, take: &mut self.take, refused: self.refused })?;
                }
                None => drop(map.next_value::<IgnoredAny>()?),
            }
        }
        Ok(())
    }
}

/// The records of one kind.
struct Records<'a, F> {
    kind: &'static Kind,
    take: &'a mut F,
    refused: &'a mut Option<StoreError>,
}

impl<F: Takes> Records<'_, F> {
    /// Hands on records, and keeps why they were refused.
    fn hand_on<E: Error>(
        &mut self,
        fields: &mut Option<Vec<&'static Field>>,
        some: &[Value],
    ) -> std::result::Result<(), E> {
        let Some(first) = some.first() else { return Ok(()) };
        let known = match fields.take() {
            Some(known) => Ok(known),
            None => fields_of(self.kind, first),
        };
        let taken = known.and_then(|known| {
            (self.take)(self.kind, &known, some)?;
            *fields = Some(known);
            Ok(())
        });
        taken.map_err(|refused| {
            let told = E::custom(&refused);
            *self.refused = Some(refused);
            told
        })
    }
}

impl<'de, F: Takes> DeserializeSeed<'de> for Records<'_, F> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> std::result::Result<(), D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de, F: Takes> Visitor<'de> for Records<'_, F> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "a list of {}", self.kind.name)
    }

    fn visit_seq<A: SeqAccess<'de>>(mut self, mut seq: A) -> std::result::Result<(), A::Error> {
        let (mut some, mut fields) = (Vec::with_capacity(AT_ONCE), None);
        while let Some(record) = seq.next_element::<Value>()? {
            some.push(record);
            if some.len() == AT_ONCE {
                self.hand_on(&mut fields, &some)?;
                some.clear();
            }
        }
        self.hand_on(&mut fields, &some)
    }
}
