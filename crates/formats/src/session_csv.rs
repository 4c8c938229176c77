//! Session CSV: RFC 4180 with a header row, `# key: value` lines before it, in every spelling of docs/formats.

use std::collections::HashMap;

use csv::{ReaderBuilder, StringRecord};
use jiff::{Timestamp, civil};
use spare_hour_core::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Temperature, Voltage};
use spare_hour_core::refused::Bounds;
use spare_hour_core::session::session_check::READING;
use spare_hour_core::session::{Conditions, MOST_READINGS, Reading, Session};

use crate::conditions::{condition_pairs, note_condition};
use crate::number::{MOST_SECONDS, clock, parse_clock, parse_number};
use crate::table::{as_it_was, defused};
use crate::typed::{Spelled, TimesAs, decide};
use crate::{FormatError, text_of};

/// Reads a session from the bytes of a CSV file.
///
/// # Errors
/// The first line that cannot be read, with what is expected there; files over the size limits.
pub fn read_session_csv(bytes: &[u8]) -> Result<Session, FormatError> {
    let text = text_of(bytes)?;
    let (mut conditions, header_line, table) = split_conditions(text)?;
    let mut reader = ReaderBuilder::new()
        .delimiter(separator(table))
        .flexible(true)
        .has_headers(false)
        .from_reader(table.as_bytes());
    let mut rows = reader.records();
    let line_of = |record: &StringRecord| header_line + record.position().map_or(0, |at| at.line() as usize - 1);
    let header = match rows.next() {
        Some(Ok(header)) => Header::new(&header, header_line)?,
        _ => {
            return Err(FormatError::line(
                header_line,
                "has no header row; expected column names such as elapsed,soc,power_kw",
            ));
        }
    };
    let mut readings = Vec::new();
    let mut spelled = Vec::new();
    let mut clock = Clock::default();
    for row in rows {
        let row = row.map_err(|error| {
            let line = error.position().map_or(0, |at| at.line() as usize - 1);
            FormatError::line(header_line + line, format!("cannot be read as CSV: {error}"))
        })?;
        if row.iter().all(|field| field.trim().is_empty()) {
            continue;
        }
        if readings.len() == MOST_READINGS {
            let problem = format!("is one reading too many; expected at most {MOST_READINGS}");
            return Err(FormatError::line(line_of(&row), problem));
        }
        readings.push(header.reading(&row, line_of(&row), &mut clock)?);
        if let Some(name) = header.spelled {
            spelled.push((header.spelled_time(&row, name, line_of(&row))?, line_of(&row)));
        }
    }
    if readings.is_empty() {
        return Err(FormatError::line(header_line, "no readings after the header; expected one reading on each line"));
    }
    conditions.day = conditions.day.or(clock.day);
    if header.spelled.is_some() {
        set_times(&mut readings, &spelled, &mut conditions)?;
    }
    Ok(Session { readings, conditions })
}

/// Takes the `# key: value` lines off the top: what they say, the line of the header, and the rest.
fn split_conditions(text: &str) -> Result<(Conditions, usize, &str), FormatError> {
    let mut conditions = Conditions::default();
    let mut rest = text;
    let mut line = 1;
    loop {
        let (first, after) = rest.split_once('\n').unwrap_or((rest, ""));
        let said = first.trim();
        if let Some(noted) = said.strip_prefix('#') {
            let (key, value) = noted.split_once(':').unwrap_or(("remark", noted));
            note_condition(&mut conditions, key, value).map_err(|problem| FormatError::line(line, problem))?;
        } else if !said.is_empty() {
            return Ok((conditions, line, rest));
        }
        if after.is_empty() {
            return Err(FormatError::line(
                line,
                "is the end of the file; expected a header row with elapsed (or at) and soc",
            ));
        }
        rest = after;
        line += 1;
    }
}

/// The separator of the header row: semicolon or tab where there is one, else comma.
pub(crate) fn separator(table: &str) -> u8 {
    let header = table.lines().next().unwrap_or_default();
    [b';', b'\t'].into_iter().find(|&mark| header.contains(char::from(mark))).unwrap_or(b',')
}

/// Which column is where.
struct Header {
    names: Vec<String>,
    at: HashMap<String, usize>,
    /// The column of times that people spelled, where there is neither `elapsed` nor `at`.
    spelled: Option<&'static str>,
}

/// Columns of times as people write them: which way they are read is decided for the whole file.
const SPELLED: [&str; 5] = ["time", "clock", "minutes", "min", "seconds"];

/// Sets the minutes of readings whose times were spelled.
fn set_times(
    readings: &mut [Reading],
    spelled: &[(Spelled, usize)],
    conditions: &mut Conditions,
) -> Result<(), FormatError> {
    let lines: Vec<(Spelled, &Reading)> = spelled.iter().map(|(time, _)| *time).zip(readings.iter()).collect();
    let told = conditions.other.iter().find(|(key, _)| key == "times").and_then(|(_, value)| TimesAs::of_name(value));
    let (minutes, times) = decide(&lines, told, conditions.usable);
    for ((reading, minute), (_, line)) in readings.iter_mut().zip(minutes).zip(spelled) {
        let minute = minute.ok_or_else(|| FormatError::line(*line, "has a time that is spelled unlike the others"))?;
        reading.elapsed = Minutes::new(minute);
    }
    if let Some(times) = times {
        if let Some(other) = times.or {
            let (way, other) = (times.way.name(), other.name());
            let problem =
                format!("the times can be read as {way} or as {other}; expected a line such as # times: {way}");
            return Err(FormatError::file(problem));
        }
        conditions.began = conditions.began.or(times.began());
        conditions.other.retain(|(key, _)| key != "times");
        conditions.other.push(("times".into(), times.to_string()));
    }
    Ok(())
}

impl Header {
    fn new(record: &StringRecord, line: usize) -> Result<Self, FormatError> {
        let names: Vec<String> = record.iter().map(|name| name.trim().to_lowercase()).collect();
        let mut at = HashMap::new();
        for (index, name) in names.iter().enumerate().filter(|(_, name)| !name.is_empty()) {
            if at.insert(name.clone(), index).is_some() {
                return Err(FormatError::line(
                    line,
                    format!("column {name} is there twice; expected each column once"),
                ));
            }
        }
        if !at.contains_key("soc") && !at.contains_key("range_km") {
            return Err(FormatError::line(
                line,
                "has no column soc; expected a header row with elapsed (or at) and soc",
            ));
        }
        let mut spelled = None;
        if !at.contains_key("elapsed") && !at.contains_key("at") {
            spelled = SPELLED.into_iter().find(|name| at.contains_key(*name));
            if spelled.is_none() {
                return Err(FormatError::line(line, "has neither a column elapsed nor at; expected one of the two"));
            }
        }
        Ok(Self { names, at, spelled })
    }

    fn field<'r>(&self, row: &'r StringRecord, name: &str) -> &'r str {
        self.at.get(name).and_then(|&index| row.get(index)).unwrap_or_default().trim()
    }

    fn reading(&self, row: &StringRecord, line: usize, clock: &mut Clock) -> Result<Reading, FormatError> {
        if row.iter().skip(self.names.len()).any(|field| !field.trim().is_empty()) {
            let (found, expected) = (row.len(), self.names.len());
            let problem = format!(
                "has {found} fields; expected {expected}, like the header (is a decimal comma in a comma-separated file?)"
            );
            return Err(FormatError::line(line, problem));
        }
        let numbers = READING.map(|(name, bounds)| self.number(row, name, bounds, line));
        let [soc, power, energy, voltage, current, battery, ambient, range] = numbers;
        let elapsed = match self.spelled {
            Some(_) => Minutes::default(),
            None => clock.elapsed(self.field(row, "elapsed"), self.field(row, "at"), line)?,
        };
        Ok(Reading {
            elapsed,
            soc: soc?.map(Soc::percent),
            power: power?.map(Power::kw),
            energy: energy?.map(Energy::kwh),
            voltage: voltage?.map(Voltage::volts),
            current: current?.map(Current::amps),
            battery: battery?.map(Temperature::celsius),
            ambient: ambient?.map(Temperature::celsius),
            range: range?.map(Distance::km),
            note: self.note(row),
            left_out: Some(as_it_was(self.field(row, "left_out"))).filter(|why| !why.is_empty()).map(Into::into),
        })
    }

    /// A time as it was spelled; the column's name may be its unit.
    fn spelled_time(&self, row: &StringRecord, name: &str, line: usize) -> Result<Spelled, FormatError> {
        let text = self.field(row, name);
        let number = parse_number(text, "");
        let spelled = match (name, number) {
            ("minutes" | "min", Some(minutes)) => Some(Spelled::Elapsed(minutes, 2)),
            ("seconds", Some(seconds)) => Some(Spelled::Elapsed(seconds / 60.0, 1)),
            (_, Some(number)) => Some(Spelled::Bare(number)),
            (_, None) => {
                let lower = text.to_lowercase();
                let afternoon = lower.ends_with("pm").then_some(true).or(lower.ends_with("am").then_some(false));
                let bare = lower.trim_end_matches("am").trim_end_matches("pm").trim();
                Spelled::parse(bare, afternoon)
            }
        };
        spelled.ok_or_else(|| {
            FormatError::line(line, format!("{name} is \"{text}\"; expected a time such as 4:30 or 10:54"))
        })
    }

    fn number(&self, row: &StringRecord, name: &str, bounds: Bounds, line: usize) -> Result<Option<f64>, FormatError> {
        let text = self.field(row, name);
        if text.is_empty() {
            return Ok(None);
        }
        match parse_number(text, bounds.unit) {
            Some(number) if bounds.check(name, number).is_ok() => Ok(Some(number)),
            _ => {
                let Bounds { low, high, unit } = bounds;
                Err(FormatError::line(line, format!("{name} is \"{text}\"; expected {low} to {high} {unit}")))
            }
        }
    }

    /// The note, and every column that has no meaning here, by name.
    fn note(&self, row: &StringRecord) -> Option<String> {
        let known = |name: &str| {
            READING.iter().any(|column| column.0 == name)
                || ["elapsed", "at", "left_out"].contains(&name)
                || self.spelled == Some(name)
        };
        let mut notes = Vec::new();
        for (name, field) in self.names.iter().zip(row.iter().map(str::trim)) {
            if field.is_empty() || known(name) {
                continue;
            }
            let field = as_it_was(field);
            notes.push(if name == "note" { field.to_string() } else { format!("{name}: {field}") });
        }
        (!notes.is_empty()).then(|| notes.join("; "))
    }
}

/// Turns either kind of time into minutes since current began.
#[derive(Default)]
struct Clock {
    first: Option<Instant>,
    day: Option<String>,
}

/// A time with or without its offset from UTC.
#[derive(Clone, Copy)]
enum Instant {
    Absolute(Timestamp),
    Local(civil::DateTime),
}

impl Instant {
    fn parse(text: &str) -> Option<Self> {
        match text.parse() {
            Ok(timestamp) => Some(Self::Absolute(timestamp)),
            Err(_) => text.parse().ok().map(Self::Local),
        }
    }

    /// Seconds from an earlier time of the same kind.
    fn seconds_since(self, earlier: Self) -> Option<f64> {
        match (self, earlier) {
            (Self::Absolute(now), Self::Absolute(then)) => Some(now.duration_since(then).as_secs_f64()),
            (Self::Local(now), Self::Local(then)) => Some(now.duration_since(then).as_secs_f64()),
            _ => None,
        }
    }
}

impl Clock {
    fn elapsed(&mut self, elapsed: &str, at: &str, line: usize) -> Result<Minutes, FormatError> {
        if !elapsed.is_empty() {
            return parse_clock(elapsed).ok_or_else(|| {
                let problem = format!("elapsed is \"{elapsed}\"; expected h:mm:ss, mm:ss or seconds, at most a week");
                FormatError::line(line, problem)
            });
        }
        if at.is_empty() {
            return Err(FormatError::line(line, "has no time; expected elapsed (mm:ss) or at (an ISO 8601 time)"));
        }
        let expected = || {
            let problem = format!(
                "at is \"{at}\"; expected an ISO 8601 time such as 2026-05-01T14:03:20+02:00, of one kind in the whole file, within a week of the first"
            );
            FormatError::line(line, problem)
        };
        let now = Instant::parse(at).ok_or_else(expected)?;
        // The day as it was written, whatever the offset.
        self.day.get_or_insert_with(|| at.chars().take(10).collect());
        let first = *self.first.get_or_insert(now);
        let seconds = now.seconds_since(first).filter(|seconds| seconds.abs() <= MOST_SECONDS).ok_or_else(expected)?;
        Ok(Minutes::seconds(seconds))
    }
}

/// Writes a session as CSV that [`read_session_csv`] reads back.
pub fn write_session_csv(session: &Session) -> String {
    let mut text = conditions_lines(&session.conditions);
    let mut writer = csv::Writer::from_writer(Vec::new());
    let left_out = session.readings.iter().any(|reading| reading.left_out.is_some());
    let last = if left_out { &["note", "left_out"][..] } else { &["note"][..] };
    let names = std::iter::once("elapsed").chain(READING.iter().map(|column| column.0)).chain(last.iter().copied());
    // Writing to memory cannot fail; a row that did would be missing, not wrong.
    let _ = writer.write_record(names);
    for reading in &session.readings {
        let texts = [&reading.note, &reading.left_out].map(|text| text.as_deref().map(defused).unwrap_or_default());
        let fields = std::iter::once(elapsed_field(reading.elapsed))
            .chain(reading.measured().map(|number| number.map_or_else(String::new, |number| number.to_string())))
            .chain(texts.into_iter().take(last.len()));
        let _ = writer.write_record(fields);
    }
    text.push_str(&String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()));
    text
}

/// Whole seconds as a clock, else seconds with their decimals.
fn elapsed_field(elapsed: Minutes) -> String {
    let seconds = elapsed.get() * 60.0;
    if (seconds - seconds.round()).abs() < 1e-6 && seconds >= 0.0 { clock(elapsed) } else { seconds.to_string() }
}

fn conditions_lines(conditions: &Conditions) -> String {
    condition_pairs(conditions).into_iter().map(|(key, value)| format!("# {key}: {value}\n")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Place;
    use proptest::prelude::*;
    use spare_hour_core::session::Meter;

    fn read(text: &str) -> Result<Session, FormatError> {
        read_session_csv(text.as_bytes())
    }

    #[test]
    fn reads_every_spelling_alike() {
        let plain = read("elapsed,soc,power_kw\n0:00,10,150\n4:30,20.5,207\n").unwrap();
        for text in [
            "\u{feff}ELAPSED;SoC;Power_kW\r\n0:00;10;150\r\n4:30;20,5;207\r\n",
            "power_kw\tsoc\telapsed\n150\t10\t0\n207\t20,5\t0:04:30\n",
            "at,soc,power_kw\n2026-05-01T12:00:00Z,10,150 kW\n2026-05-01T14:04:30+02:00,20.5,207\n",
            "at,soc,power_kw\n2026-05-01T12:00:00,10 %,150\n\n2026-05-01 12:04:30,20.5,207",
            "elapsed,soc,power_kw\n0:00,10,150\n270,\"20,5\",207\n,,\n",
        ] {
            let session = read(text).unwrap();
            assert_eq!(session.readings, plain.readings, "{text}");
            let day = text.contains("at,").then(|| "2026-05-01".to_string());
            assert_eq!(session.conditions, Conditions { day, ..Conditions::default() }, "{text}");
        }
    }

    #[test]
    fn keeps_conditions_and_unknown_columns() {
        let text =
            "# usable_kwh: 74\n#meter: car\n# site_kw: 350 kW\n# mood: calm\n\nelapsed,soc,stall,note\n0:00,10,3,hot\n";
        let session = read(text).unwrap();
        assert_eq!(session.conditions.usable, Some(Energy::kwh(74.0)));
        assert_eq!(session.conditions.meter, Meter::Car);
        assert_eq!(session.conditions.other, [("mood".to_string(), "calm".to_string())]);
        assert_eq!(session.readings[0].note.as_deref(), Some("stall: 3; hot"));
        assert_eq!(read(&write_session_csv(&session)).unwrap().conditions, session.conditions);
    }

    #[test]
    fn names_the_line_and_what_is_expected() {
        for (text, line, part) in [
            ("", 1, "expected a header row"),
            ("elapsed,power_kw\n", 1, "no column soc"),
            ("soc\n10\n", 1, "neither a column elapsed nor at"),
            ("# meter: both\nelapsed,soc\n", 1, "expected station or car"),
            ("elapsed,soc\n", 1, "no readings"),
            ("elapsed,soc\n0:00,10\n0:61,11\n", 3, "elapsed is \"0:61\""),
            ("# car: x\nelapsed,soc\n0:00,10\n1:00,131\n", 4, "soc is \"131\"; expected 0 to 100 %"),
            ("elapsed,soc,power_kw\n0:00,10,1,5\n", 2, "expected 3, like the header"),
            ("at,soc\n2026-05-01T12:00:00Z,10\nnoon,11\n", 3, "at is \"noon\""),
            ("elapsed,soc\n\n\n0:00,10\n1:00,x\n", 5, "soc is \"x\""),
        ] {
            let error = read(text).unwrap_err();
            assert_eq!(error.place, Place::Line(line), "{text}: {error}");
            assert!(error.problem.contains(part), "{text}: {error}");
        }
        assert!(read_session_csv(b"elapsed,soc\n0,\xff\n").unwrap_err().to_string().contains("UTF-8"));
        let long = vec![b'x'; crate::MOST_BYTES + 1];
        assert!(read_session_csv(&long).unwrap_err().to_string().contains("at most 10000000"));
    }

    #[test]
    fn refuses_one_reading_too_many() {
        let mut text = String::from("elapsed,soc\n");
        (0..=MOST_READINGS).for_each(|i| text.push_str(&format!("{i},50\n")));
        let error = read(&text).unwrap_err();
        assert_eq!(error.place, Place::Line(MOST_READINGS + 2));
    }

    proptest! {
        #[test]
        fn never_panics(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
            let _ = read_session_csv(&bytes);
        }

        #[test]
        fn never_panics_on_near_misses(text in "(# [a-z_]{0,8}:? ?[0-9a-z,.]{0,6}\n){0,3}(elapsed|at|soc|power_kw|[,;\t\"]){1,7}\n([0-9:.,;T\"Zx+ -]{0,20}\n){0,8}") {
            let _ = read_session_csv(text.as_bytes());
        }

        #[test]
        fn what_is_written_is_read_back(
            rows in prop::collection::vec((0u32..100_000, 0.0f64..100.0, prop::option::of(0.0f64..400.0), "[a-z,\" ]{0,12}"), 1..40),
        ) {
            let readings = rows.into_iter().map(|(second, soc, kw, note)| Reading {
                elapsed: Minutes::seconds(f64::from(second)),
                soc: Some(Soc::percent(soc)),
                power: kw.map(Power::kw),
                note: Some(note.trim().to_string()).filter(|note| !note.is_empty()),
                ..Reading::default()
            }).collect();
            let session = Session { readings, conditions: Conditions::default() };
            prop_assert_eq!(read(&write_session_csv(&session)).unwrap(), session);
        }
    }
}
