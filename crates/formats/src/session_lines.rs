//! Lines as typed at the stall or off a video: `4:30 20 207 35` is minute, SoC, kW and kWh; the last two may be missing.
//!
//! A minute that repeats may be left out: `:45` after `4:30` is 4:45. Spaces, commas followed by a space, semicolons or tabs separate; units and decimal commas are understood; lines
//! that start with `#` and empty lines are passed over.

use spare_hour_core::quantity::{Energy, Minutes, Power, Soc};
use spare_hour_core::session::{Conditions, MOST_READINGS, Reading, Session};

use crate::number::{clock, parse_clock, parse_number};
use crate::{FormatError, text_of};

const EXPECTED: &str = "expected minute, SoC, kW and kWh, such as 4:30 20 207 35";

/// A typed line as it is understood.
#[derive(Clone, Debug, PartialEq)]
pub struct TypedLine {
    /// Its number, counted from 1.
    pub number: usize,
    /// The reading, or what is wrong and what is expected.
    pub reading: Result<Reading, String>,
}

/// Understands lines one by one; empty ones and remarks are passed over.
pub fn typed_lines(text: &str) -> Vec<TypedLine> {
    let mut before: Option<Minutes> = None;
    let mut lines = Vec::new();
    for (index, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let reading = reading(line, before);
        if let Ok(reading) = &reading {
            before = Some(reading.elapsed);
        }
        lines.push(TypedLine { number: index + 1, reading });
    }
    lines
}

/// Reads typed lines.
///
/// # Errors
/// Every line that cannot be read, each with its number.
pub fn read_session_lines(text: &str) -> Result<Session, Vec<FormatError>> {
    let text = text_of(text.as_bytes()).map_err(|error| vec![error])?;
    let mut readings = Vec::new();
    let mut faults = Vec::new();
    for line in typed_lines(text) {
        match line.reading {
            Ok(reading) => readings.push(reading),
            Err(problem) => faults.push(FormatError::line(line.number, problem)),
        }
    }
    if readings.len() > MOST_READINGS {
        faults.push(FormatError::file(format!("{} readings; expected at most {MOST_READINGS}", readings.len())));
    }
    if readings.is_empty() && faults.is_empty() {
        faults.push(FormatError::file(format!("no readings; {EXPECTED}")));
    }
    if faults.is_empty() { Ok(Session { readings, conditions: Conditions::default() }) } else { Err(faults) }
}

fn reading(line: &str, before: Option<Minutes>) -> Result<Reading, String> {
    let fields = fields(line);
    let (Some(&time), Some(&soc), true) = (fields.first(), fields.get(1), fields.len() <= 4) else {
        return Err(format!("\"{line}\" has {} parts; {EXPECTED}", fields.len()));
    };
    let elapsed = elapsed(time, before)?;
    let soc = number(soc, "%", 100.0)?;
    let power = fields.get(2).map(|kw| number(kw, "kW", 10_000.0)).transpose()?;
    let energy = fields.get(3).map(|kwh| number(kwh, "kWh", 100_000.0)).transpose()?;
    Ok(Reading {
        elapsed,
        soc: Soc::percent(soc),
        power: power.map(Power::kw),
        energy: energy.map(Energy::kwh),
        ..Reading::default()
    })
}

/// A clock time; with the minute left out, `:45`, that of the line before.
fn elapsed(time: &str, before: Option<Minutes>) -> Result<Minutes, String> {
    let Some(second) = time.strip_prefix(':') else {
        return parse_clock(time).ok_or_else(|| format!("\"{time}\" is no time; {EXPECTED}"));
    };
    let second = parse_number(second, "").filter(|second| (0.0..60.0).contains(second));
    let (Some(second), Some(before)) = (second, before) else {
        return Err(format!("\"{time}\" has no minute, and no line before to take it from; {EXPECTED}"));
    };
    let elapsed = Minutes::new((before.get() + 1e-9).floor() + second / 60.0);
    if elapsed < before {
        let was = clock(before);
        return Err(format!("\"{time}\" would be before {was}; write the minute where it changes, such as 5:10"));
    }
    Ok(elapsed)
}

fn number(text: &str, unit: &str, most: f64) -> Result<f64, String> {
    match parse_number(text, unit) {
        Some(number) if (0.0..=most).contains(&number) => Ok(number),
        _ => Err(format!("\"{text}\" is not 0 to {most} {unit}; {EXPECTED}")),
    }
}

/// The parts of a line, units that stand alone left out.
fn fields(line: &str) -> Vec<&str> {
    let is_unit = |part: &&str| ["%", "kw", "kwh", "min"].contains(&part.to_lowercase().as_str());
    let split: Vec<&str> = if line.contains([';', '\t']) {
        line.split([';', '\t']).collect()
    } else if line.contains(", ") || !line.contains(' ') {
        line.split(if line.contains(", ") { ", " } else { "," }).collect()
    } else {
        line.split_whitespace().filter(|part| !is_unit(part)).collect()
    };
    split.into_iter().map(str::trim).filter(|part| !part.is_empty()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn one_line_in_many_hands() {
        let reading = |line: &str| super::reading(line, None);
        let expected = reading("4:30 20 207 35").unwrap();
        for line in [
            "4:30, 20 %, 207 kW, 35 kWh",
            "4:30;20;207;35",
            "270\t20\t207\t35",
            "0:04:30 20 % 207 kW 35 kWh",
            "4:30,20,207,35",
        ] {
            assert_eq!(reading(line).unwrap(), expected, "{line}");
        }
        assert_eq!(reading("4:30 20,5 207,4").unwrap().power, Some(Power::kw(207.4)));
        assert_eq!(reading("4:30 20").unwrap().power, None);
    }

    #[test]
    fn a_repeated_minute_may_be_left_out() {
        let session = read_session_lines("4:30 20 207\n:45 21 206\n:52 22 205\n5:03 23\n:10 24\n").unwrap();
        let seconds: Vec<f64> = session.readings.iter().map(|reading| (reading.elapsed.get() * 60.0).round()).collect();
        assert_eq!(seconds, [270.0, 285.0, 292.0, 303.0, 310.0]);
        let said = |text: &str| read_session_lines(text).unwrap_err()[0].to_string();
        assert!(said(":45 21").contains("no line before"), "{}", said(":45 21"));
        assert!(said("4:45 21\n:10 22").contains("would be before 4:45"));
        assert_eq!(typed_lines("0:00 10\nx\n0:30 11").iter().filter(|line| line.reading.is_ok()).count(), 2);
    }

    #[test]
    fn every_bad_line_is_named() {
        let faults = read_session_lines("0:00 10 150\n4:75 20\n# break\n5:00 120\n6:00\n7:00 30 1 2 3\n").unwrap_err();
        let said: Vec<String> = faults.iter().map(ToString::to_string).collect();
        assert_eq!(said.len(), 4);
        assert!(said[0].starts_with("line 2: \"4:75\" is no time"), "{said:?}");
        assert!(said[1].starts_with("line 4: \"120\" is not 0 to 100 %"), "{said:?}");
        assert!(said[3].starts_with("line 6: ") && said[3].contains("5 parts"), "{said:?}");
        assert!(read_session_lines("\n").unwrap_err()[0].to_string().contains("no readings"));
    }

    proptest! {
        #[test]
        fn never_panics(text in "\\PC{0,80}(\n[0-9:;, %kWh]{0,30}){0,5}") {
            let _ = read_session_lines(&text);
            let _ = crate::read_session(&text);
        }
    }
}
