//! What is known of a charging site beside what the planner weighs: stalls, connectors, hours, what one can do there.

use std::fmt;
use std::str::FromStr;

use crate::charging::profile::Profile;
use crate::quantity::{Current, Minutes, Power, Voltage};
use crate::trip::opening_hours::OpeningHours;

/// Most kinds of connectors of a site.
pub const MOST_CONNECTORS: usize = 50;
/// Longest text of a detail, characters.
pub const MOST_TEXT: usize = 400;

/// A kind of connector, and how many of it there are.
#[derive(Clone, Debug, PartialEq)]
pub struct Connector {
    /// How many, 1 to 999.
    pub count: u32,
    /// Its name in OCPI, such as `IEC_62196_T2_COMBO`.
    pub standard: String,
    /// Its most power.
    pub power: Option<Power>,
    /// Its most current.
    pub current: Option<Current>,
    /// Its most voltage.
    pub voltage: Option<Voltage>,
}

/// What is known of a site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SiteDetails {
    /// How many cars can charge.
    pub stalls: Option<u32>,
    /// How many of the stalls were out of order when last seen.
    pub out_of_order: Option<u32>,
    /// Expected wait for a stall; a part of the stop's fixed minutes.
    pub wait: Minutes,
    /// How many stalls share the power of one cabinet; below 2 none do.
    pub cabinet: Option<u32>,
    /// When it is open.
    pub hours: Option<OpeningHours>,
    /// Its connectors.
    pub connectors: Vec<Connector>,
    /// What one can do there: eat, rest, shop.
    pub facilities: Option<String>,
    /// What the driver noted.
    pub note: Option<String>,
    /// Power into the battery over SoC, kW, of the charge that is under way there: in place of what car and stall let expect.
    pub charging: Option<Profile>,
}

impl SiteDetails {
    /// Whether every stall was out of order when last seen.
    pub fn is_out_of_order(&self) -> bool {
        self.stalls.zip(self.out_of_order).is_some_and(|(stalls, broken)| broken >= stalls)
    }

    /// Whether a neighbour's charge may take half of the power.
    pub fn is_shared(&self) -> bool {
        self.cabinet.is_some_and(|stalls| stalls > 1)
    }
}

/// `4 × IEC_62196_T2_COMBO 150 kW 400 A 920 V`, or any part of it that has the name.
impl FromStr for Connector {
    type Err = String;

    fn from_str(line: &str) -> Result<Self, String> {
        let wrong = |what: &str| {
            format!("“{}”: {what}; expected such as 4 × IEC_62196_T2_COMBO 150 kW 400 A 920 V", line.trim())
        };
        let spaced = line.replace(['×', '*'], " x ");
        let mut words = spaced.split_whitespace().peekable();
        let mut connector = Self { count: 1, standard: String::new(), power: None, current: None, voltage: None };
        while let Some(word) = words.next() {
            let end = word.rfind(|c: char| c.is_ascii_digit()).map_or(0, |at| at + 1);
            let number = word[..end].replace(',', ".").parse::<f64>().ok().filter(|number| number.is_finite());
            let Some(number) = number else {
                if !connector.standard.is_empty() {
                    return Err(wrong("has two names"));
                }
                connector.standard = word.into();
                continue;
            };
            let unit = if end < word.len() { &word[end..] } else { words.next().unwrap_or_default() };
            let within = |high: f64| {
                if number > 0.0 && number <= high { Ok(number) } else { Err(wrong("is too much or nothing")) }
            };
            match unit.to_lowercase().as_str() {
                "x" => connector.count = within(999.0)? as u32,
                "kw" => connector.power = Some(Power::kw(within(10_000.0)?)),
                "a" => connector.current = Some(Current::amps(within(10_000.0)?)),
                "v" => connector.voltage = Some(Voltage::volts(within(10_000.0)?)),
                _ => return Err(wrong("has a number without kW, A or V")),
            }
        }
        let named = connector.standard.chars().all(|c| c.is_ascii_alphanumeric() || "_-".contains(c));
        match connector.standard.chars().count() {
            1..=60 if named && connector.count > 0 => Ok(connector),
            _ => Err(wrong("has no name of a connector")),
        }
    }
}

impl fmt::Display for Connector {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} × {}", self.count, self.standard)?;
        let numbers = [
            (self.power.map(Power::get), "kW"),
            (self.current.map(Current::get), "A"),
            (self.voltage.map(Voltage::get), "V"),
        ];
        for (number, unit) in numbers {
            if let Some(number) = number {
                write!(f, " {number} {unit}")?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn connectors_are_read_and_written_back() {
        let text = "4 × IEC_62196_T2_COMBO 150 kW 400 A 920 V";
        let connector: Connector = text.parse().unwrap();
        assert_eq!((connector.count, connector.power), (4, Some(Power::kw(150.0))));
        assert_eq!((connector.current, connector.voltage), (Some(Current::amps(400.0)), Some(Voltage::volts(920.0))));
        assert_eq!(connector.to_string(), text);
        assert_eq!("IEC_62196_T2 22kW".parse::<Connector>().unwrap().to_string(), "1 × IEC_62196_T2 22 kW");
        assert_eq!("2x CHADEMO".parse::<Connector>().unwrap().to_string(), "2 × CHADEMO");
        for (line, part) in [
            ("", "no name"),
            ("4 x", "no name"),
            ("CHADEMO 50", "without kW, A or V"),
            ("CHADEMO 0 kW", "too much or nothing"),
            ("CHADEMO IEC_62196_T2", "two names"),
            ("CHA;DEMO", "no name"),
            ("0 x CHADEMO", "too much or nothing"),
        ] {
            let error = line.parse::<Connector>().unwrap_err();
            assert!(error.contains(part) && error.contains("expected such as"), "{line}: {error}");
        }
    }

    #[test]
    fn a_cabinet_of_one_is_not_shared() {
        let shared = |cabinet| SiteDetails { cabinet, ..SiteDetails::default() }.is_shared();
        assert_eq!([None, Some(1), Some(2)].map(shared), [false, false, true]);
    }
}
