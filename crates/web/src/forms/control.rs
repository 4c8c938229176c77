//! One control of a trip: what it is called, what the trip itself says, and what was asked instead.

use std::collections::HashMap;

use serde::Deserialize;

use crate::forms::field::Field;
use crate::http::upload::Upload;

/// The query of a trip's address. Everything is optional and taken as text, so that nothing typed is lost.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(transparent)]
pub(crate) struct Ask(HashMap<String, String>);

impl Ask {
    /// What is asked under a name. A button's `preset=name=value&…` goes before what the controls hold.
    pub(crate) fn get(&self, name: &str) -> Option<&str> {
        let preset = self.0.get("preset").map(String::as_str).unwrap_or_default();
        let preset = preset.split('&').filter_map(|pair| pair.split_once('=')).find(|(preset, _)| *preset == name);
        preset.map(|(_, value)| value).or_else(|| self.0.get(name).map(String::as_str))
    }

    /// What the query of an address asks.
    pub(crate) fn of_query(query: &str) -> Self {
        Self(form_urlencoded::parse(query.as_bytes()).into_owned().collect())
    }

    /// What a form with a file in it asks.
    pub(crate) fn of(upload: &Upload) -> Self {
        Self(upload.fields().map(|(name, value)| (name.to_string(), value.to_string())).collect())
    }

    /// A number such as a car's.
    pub(crate) fn number(&self, name: &str) -> Option<i32> {
        self.get(name)?.parse().ok()
    }

    /// Everything that is asked but for one name, in one text that is the same for the same questions.
    pub(crate) fn without(&self, name: &str) -> String {
        let mut pairs: Vec<(&String, &String)> = self.0.iter().filter(|pair| pair.0 != name).collect();
        pairs.sort();
        form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish()
    }

    /// The same without several names.
    pub(crate) fn without_all(&self, names: &[&str]) -> String {
        let left = self.0.iter().filter(|pair| !names.contains(&pair.0.as_str()));
        Self(left.map(|(name, value)| (name.clone(), value.clone())).collect()).without("")
    }

    /// Names and values of what is asked but for several names, in one order.
    pub(crate) fn pairs_without(&self, names: &[&str]) -> Vec<(String, String)> {
        let left = self.0.iter().filter(|pair| !names.contains(&pair.0.as_str()));
        let mut pairs: Vec<(String, String)> = left.map(|(name, value)| (name.clone(), value.clone())).collect();
        pairs.sort();
        pairs
    }

    pub(crate) fn kept(&self) -> bool {
        self.0.contains_key("kept")
    }
}

/// A control.
#[derive(Clone, Debug)]
pub(crate) struct Control {
    pub(crate) name: &'static str,
    pub(crate) label: String,
    pub(crate) field: Field,
    /// What stands there when nothing is asked.
    pub(crate) own: String,
    /// What nothing in it means.
    pub(crate) empty: &'static str,
    /// Why it is off, where it would change nothing.
    pub(crate) off: Option<&'static str>,
}

impl Control {
    /// A control of what the trip says.
    pub(crate) fn new(name: &'static str, label: impl Into<String>, own: impl Into<String>, ask: &Ask) -> Self {
        let own = own.into();
        Self { name, label: label.into(), field: Field::new(ask.get(name).unwrap_or(&own)), own, empty: "", off: None }
    }

    /// The control with what nothing in it means.
    pub(crate) fn when_empty(self, means: &'static str) -> Self {
        Self { empty: means, ..self }
    }

    /// The control, off where it would change nothing; it then stands as the trip says.
    pub(crate) fn off_where(self, is_off: bool, why: &'static str) -> Self {
        if !is_off {
            return self;
        }
        Self { field: Field::new(self.own.clone()), off: Some(why), ..self }
    }

    /// Whether it stands as the trip says.
    pub(crate) fn is_own(&self) -> bool {
        self.field.text.trim() == self.own
    }

    /// The value of what stands in it: the trip's own unless something else was typed and can be read.
    pub(crate) fn read<T>(&mut self, own: T, read: impl FnOnce(&mut Field) -> Option<T>) -> T {
        if self.is_own() {
            return own;
        }
        if self.field.text.trim().is_empty() {
            self.field.fault = Some(format!("needed; it was {}", self.own));
            return own;
        }
        read(&mut self.field).unwrap_or(own)
    }

    /// Like [`Control::read`] where nothing may stand in it.
    pub(crate) fn read_or_none<T>(&mut self, own: Option<T>, read: impl FnOnce(&mut Field) -> Option<T>) -> Option<T> {
        if self.is_own() { own } else { read(&mut self.field) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn asked(pairs: &[(&str, &str)]) -> Ask {
        Ask(pairs.iter().map(|(name, value)| (name.to_string(), value.to_string())).collect())
    }

    #[test]
    fn what_is_not_asked_or_cannot_be_is_the_trips_own() {
        let read = |pairs: &[(&str, &str)]| {
            let mut control = Control::new("floor", "Floor", "10", &asked(pairs));
            (control.read(10.04, |field| field.number(0.0, 100.0, "%")), control.field.fault.is_some())
        };
        // Its own value is not rounded by the text that shows it.
        assert_eq!(read(&[]), (10.04, false));
        assert_eq!(read(&[("floor", "12,5")]), (12.5, false));
        assert_eq!([read(&[("floor", "")]), read(&[("floor", "much")])], [(10.04, true); 2]);
        assert_eq!(read(&[("floor", "12"), ("preset", "floor=20")]), (20.0, false));
    }

    #[test]
    fn some_may_be_empty() {
        let read = |text: &str| {
            let mut control = Control::new("value", "Value", "20", &asked(&[("value", text)]));
            (control.read_or_none(Some(20.0), |field| field.number(0.0, 100.0, "")), control.field.fault.is_some())
        };
        assert_eq!([read(""), read("20"), read("x")], [(None, false), (Some(20.0), false), (None, true)]);
    }
}
