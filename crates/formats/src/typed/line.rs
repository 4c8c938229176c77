//! One typed line taken apart: numbers with their units, a time however it is spelled, and whatever else was written.
//!
//! A number with a unit is what its unit says, wherever it stands. Numbers without one are minute (where no time was
//! spelled), SoC, kW and kWh, in that order, as far as these are not told by a unit.

use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::session::Reading;

use super::time::Spelled;
use crate::number::parse_number;

pub(super) const EXPECTED: &str = "expected minute, SoC, kW and kWh, such as 4:30 20 207 35";

/// Kilometres in a mile.
const MILE: f64 = 1.609_344;

/// A line: what was read, its time as it was spelled, its reading at minute 0.
#[derive(Clone, Debug)]
pub(super) struct Line {
    pub(super) time: Spelled,
    pub(super) reading: Reading,
}

/// A piece of a line.
#[derive(Clone, Debug, PartialEq)]
enum Piece {
    Time(Spelled),
    /// A number and its unit, in lower case; empty without one.
    Number(f64, String),
    Word(String),
}

/// Takes a line apart.
///
/// # Errors
/// What cannot be, and what is expected.
pub(super) fn line(text: &str) -> Result<Line, String> {
    let pieces = with_hours(pieces(text)?);
    let mut parts = Parts::default();
    for (index, piece) in pieces.iter().enumerate() {
        match piece {
            Piece::Time(spelled) if parts.time.is_none() => parts.time = Some(*spelled),
            Piece::Time(_) => return Err(format!("\"{text}\" has two times; {EXPECTED}")),
            Piece::Number(number, unit) if unit.is_empty() => parts.bare.push(*number),
            Piece::Number(number, unit) => parts.of_unit(*number, unit, &pieces[..index])?,
            Piece::Word(word) => parts.words.push(word.clone()),
        }
    }
    parts.line(text)
}

/// What was found in a line.
#[derive(Default)]
struct Parts {
    time: Option<Spelled>,
    reading: Reading,
    bare: Vec<f64>,
    words: Vec<String>,
}

impl Parts {
    /// Takes a number that has a unit.
    fn of_unit(&mut self, number: f64, unit: &str, before: &[Piece]) -> Result<(), String> {
        let reading = &mut self.reading;
        match unit {
            "%" => reading.soc = Some(Soc::percent(within(number, "%", 0.0, 100.0)?)),
            "kw" => reading.power = Some(Power::kw(within(number, "kW", 0.0, 10_000.0)?)),
            "kwh" => reading.energy = Some(Energy::kwh(within(number, "kWh", 0.0, 100_000.0)?)),
            "v" => reading.voltage = Some(Voltage::volts(within(number, "V", 0.0, 5_000.0)?)),
            "a" => reading.current = Some(Current::amps(within(number, "A", 0.0, 10_000.0)?)),
            "km" => reading.range = Some(Distance::km(within(number, "km", 0.0, 10_000.0)?)),
            "mi" => reading.range = Some(Distance::km(within(number, "mi", 0.0, 6_000.0)? * MILE)),
            "c" | "f" => {
                let celsius = if unit == "c" { number } else { (number - 32.0) / 1.8 };
                let celsius = Temperature::celsius(within(celsius, "°C", -100.0, 200.0)?);
                let of_air = |piece: &Piece| matches!(piece, Piece::Word(word) if ["outside", "ambient", "air", "out"].contains(&word.to_lowercase().as_str()));
                if before.last().is_some_and(of_air) {
                    reading.ambient = Some(celsius);
                } else {
                    reading.battery = Some(celsius);
                }
            }
            other => self.words.push(format!("{number} {other}")),
        }
        Ok(())
    }

    /// The line, with numbers that have no unit taken in order for what is missing.
    fn line(mut self, text: &str) -> Result<Line, String> {
        let count = self.bare.len() + usize::from(self.time.is_some());
        let mut bare = self.bare.into_iter();
        let time = match self.time {
            Some(time) => time,
            None => Spelled::Bare(bare.next().ok_or_else(|| format!("\"{text}\" has no time; {EXPECTED}"))?),
        };
        let reading = &mut self.reading;
        if reading.soc.is_none()
            && let Some(soc) = bare.next()
        {
            reading.soc = Some(Soc::percent(within(soc, "%", 0.0, 100.0)?));
        }
        if reading.power.is_none()
            && let Some(kw) = bare.next()
        {
            reading.power = Some(Power::kw(within(kw, "kW", 0.0, 10_000.0)?));
        }
        if reading.energy.is_none()
            && let Some(kwh) = bare.next()
        {
            reading.energy = Some(Energy::kwh(within(kwh, "kWh", 0.0, 100_000.0)?));
        }
        if bare.next().is_some() {
            return Err(format!("\"{text}\" has {count} parts; {EXPECTED}"));
        }
        if let (None, Some(volts), Some(amps)) = (reading.power, reading.voltage, reading.current) {
            reading.power = Some(Power::kw(volts.get() * amps.get() / 1000.0));
        }
        let told = [reading.soc.is_some(), reading.power.is_some(), reading.energy.is_some(), reading.range.is_some()];
        if !told.contains(&true) {
            return Err(format!("\"{text}\" has a time and nothing else; {EXPECTED}"));
        }
        reading.note = Some(self.words.join(" ")).filter(|note| !note.is_empty());
        Ok(Line { time, reading: self.reading })
    }
}

fn within(number: f64, unit: &str, low: f64, high: f64) -> Result<f64, String> {
    let stands = (low..=high).contains(&number);
    stands.then_some(number).ok_or_else(|| format!("\"{number}\" is not {low} to {high} {unit}; {EXPECTED}"))
}

/// Puts hours and what follows them together: `1 h 05`, `1 h 5 min`, `1 min 30 s`.
fn with_hours(pieces: Vec<Piece>) -> Vec<Piece> {
    let mut joined: Vec<Piece> = Vec::new();
    for piece in pieces {
        if let (Some(Piece::Time(Spelled::Elapsed(sum, rank))), Piece::Time(Spelled::Elapsed(more, smaller))) =
            (joined.last_mut(), &piece)
            && *smaller < *rank
        {
            (*sum, *rank) = (*sum + more, *smaller);
            continue;
        }
        joined.push(piece);
    }
    joined
}

/// The pieces of a line; units that stand apart belong to the number before them.
fn pieces(text: &str) -> Result<Vec<Piece>, String> {
    let mut pieces: Vec<Piece> = Vec::new();
    let words = words(text);
    let mut at = 0;
    while at < words.len() {
        let word = words[at].as_str();
        let next = words.get(at + 1).map(String::as_str);
        at += 1;
        if let Some((number, unit)) = spelled_out(word).or_else(|| number_and_unit(word)) {
            let apart = if unit.is_empty() { next.and_then(unit_of) } else { None };
            at += usize::from(apart.is_some());
            let unit = apart.map_or_else(|| unit.clone(), Into::into);
            pieces.push(of_unit(number, &unit, word, &pieces));
        } else if let Some(spelled) = time_of(word, next) {
            at += usize::from(next.is_some_and(is_half_day) && !is_half_day_inside(word));
            pieces.push(Piece::Time(spelled));
        } else if word.contains(':') || word.starts_with(|first: char| first.is_ascii_digit()) {
            return Err(format!("\"{word}\" is no time; {EXPECTED}"));
        } else if let Some(unit) =
            unit_of(word).filter(|_| matches!(pieces.last(), Some(Piece::Number(_, unit)) if unit.is_empty()))
        {
            if let Some(Piece::Number(_, of)) = pieces.last_mut() {
                *of = unit.into();
            }
        } else if !is_filler(word) {
            pieces.push(Piece::Word(word.into()));
        }
    }
    Ok(pieces)
}

/// A number with its unit: a time where the unit is one.
fn of_unit(number: f64, unit: &str, written: &str, before: &[Piece]) -> Piece {
    let after_hours = matches!(before.last(), Some(Piece::Time(Spelled::Elapsed(_, 3))));
    match unit {
        "h" => Piece::Time(Spelled::Elapsed(60.0 * number, 3)),
        "min" => Piece::Time(Spelled::Elapsed(number, 2)),
        "s" => Piece::Time(Spelled::Elapsed(number / 60.0, 1)),
        "" if after_hours && written.starts_with('0') && number < 60.0 => Piece::Time(Spelled::Elapsed(number, 2)),
        _ => Piece::Number(number, unit.into()),
    }
}

/// Words between separators. A comma between digits is a decimal comma where spaces or other marks separate too.
fn words(text: &str) -> Vec<String> {
    let text = text.replace(['\u{a0}', '|', '@', '=', '~', '(', ')'], " ").replace("°", " °");
    let split: Vec<&str> = if text.contains([';', '\t']) {
        text.split([';', '\t']).flat_map(str::split_whitespace).collect()
    } else if text.contains(", ") || !text.trim().contains(' ') {
        let mark = if text.contains(", ") { ", " } else { "," };
        text.split(mark).flat_map(str::split_whitespace).collect()
    } else {
        text.split_whitespace().collect()
    };
    let trimmed = split.into_iter().map(|word| word.trim_end_matches([',', '.', '!']).trim_start_matches(['°', '+']));
    trimmed.filter(|word| !word.is_empty() && !["-", "–", "—", "/"].contains(word)).map(Into::into).collect()
}

/// A unit as people write it.
fn unit_of(word: &str) -> Option<&'static str> {
    Some(match word.to_lowercase().trim_start_matches('°') {
        "%" | "percent" | "pct" | "soc" => "%",
        "kw" | "kilowatt" | "kilowatts" => "kw",
        "kwh" => "kwh",
        "v" | "volt" | "volts" => "v",
        "a" | "amp" | "amps" | "ampere" | "amperes" => "a",
        "km" | "kilometres" | "kilometers" => "km",
        "mi" | "mile" | "miles" => "mi",
        "c" | "celsius" | "degc" => "c",
        "f" | "fahrenheit" | "degf" => "f",
        "h" | "hr" | "hrs" | "hour" | "hours" => "h",
        "min" | "mins" | "minute" | "minutes" | "m" | "'" | "′" => "min",
        "s" | "sec" | "secs" | "second" | "seconds" | "\"" | "″" => "s",
        "km/h" | "kmh" | "mph" | "mi/h" => "per hour",
        _ => return None,
    })
}

/// A number with a unit at its end, or none: `207kW`, `20%`, `4`.
fn number_and_unit(word: &str) -> Option<(f64, String)> {
    let end = word.rfind(|c: char| c.is_ascii_digit()).map(|at| at + 1)?;
    let (number, unit) = word.split_at(end);
    let unit = if unit.is_empty() { "" } else { unit_of(unit)? };
    Some((parse_number(number, "")?, unit.into()))
}

/// Numbers spelled as words, as people dictate them.
fn spelled_out(word: &str) -> Option<(f64, String)> {
    let names =
        ["zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"];
    let number = names.iter().position(|name| word.eq_ignore_ascii_case(name))?;
    Some((number as f64, String::new()))
}

fn is_half_day(word: &str) -> bool {
    ["am", "pm", "a.m", "p.m", "a.m.", "p.m."].iter().any(|half| word.eq_ignore_ascii_case(half))
}

fn is_half_day_inside(word: &str) -> bool {
    let lower = word.to_lowercase();
    lower.ends_with("am") || lower.ends_with("pm")
}

/// A time in parts: `4:30`, `1:05:00`, `:45`, `1:45pm`, `1h05`, `5m30s`, a date and time.
fn time_of(word: &str, next: Option<&str>) -> Option<Spelled> {
    let lower = word.to_lowercase();
    let half =
        [next.filter(|next| is_half_day(next)).unwrap_or_default(), if is_half_day_inside(word) { &lower } else { "" }];
    let afternoon = half.iter().find(|half| !half.is_empty()).map(|half| half.contains('p'));
    let bare = lower.trim_end_matches("am").trim_end_matches("pm");
    Spelled::parse(bare, afternoon)
}

fn is_filler(word: &str) -> bool {
    let fillers = [
        "at",
        "after",
        "and",
        "is",
        "now",
        "to",
        "with",
        "about",
        "ca",
        "the",
        "of",
        "in",
        "on",
        "then",
        "soc",
        "power",
        "energy",
        "range",
        "temp",
        "temperature",
        "pack",
        "battery",
        "charged",
        "elapsed",
        "time",
        "clock",
        "so",
        "far",
        "later",
        "into",
        "°",
    ];
    fillers.iter().any(|filler| word.trim_end_matches(':').eq_ignore_ascii_case(filler))
}

/// The minute at which a line stands, once it is known how times are read.
pub(super) fn at_minute(line: &Line, minute: f64) -> Reading {
    Reading { elapsed: Minutes::new(minute), ..line.reading.clone() }
}
