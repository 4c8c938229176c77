//! Lines as people write them at the stall or off a video: `4:30 20 207 35` is minute, SoC, kW and kWh; all but the time may
//! be missing, and with units they stand in any order (`20 %, 207 kW at 10:54`).
//!
//! Each line is taken apart by itself ([`line`]); how its time is read is decided for the whole set ([`time`]). A minute that
//! repeats may be left out: `:45` after `4:30` is 4:45. Lines that start with `#` are remarks, or conditions as in a session
//! CSV (`# range_km: 450`, `# times: time of day`); empty lines are passed over.

mod line;
mod time;

use spare_hour_core::quantity::{Energy, Minutes};
use spare_hour_core::session::{Conditions, MOST_READINGS, Reading, Session};

use crate::conditions::{condition_pairs, note_condition};
use crate::number::{MOST_SECONDS, clock};
use crate::{FormatError, text_of};
use line::{EXPECTED, Line};
pub use time::{ReadTimes, TimesAs};
pub(crate) use time::{Spelled, decide};

/// A typed line as it is understood.
#[derive(Clone, Debug, PartialEq)]
pub struct TypedLine {
    /// Its number, counted from 1.
    pub number: usize,
    /// The reading, or what is wrong and what is expected.
    pub reading: Result<Reading, String>,
}

/// Typed lines as they are understood.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct TypedText {
    /// The lines that are readings, or should be.
    pub lines: Vec<TypedLine>,
    /// How their times were read; `None` without any.
    pub times: Option<ReadTimes>,
    /// What the remarks say of the charge, with what is wrong in them.
    conditions: Conditions,
    wrong_remarks: Vec<FormatError>,
}

/// What is known beside the lines.
#[derive(Clone, Copy, Debug, Default)]
pub struct Hints {
    /// How times are read, where a person said so.
    pub times: Option<TimesAs>,
    /// Usable capacity of the car.
    pub usable: Option<Energy>,
}

/// Understands lines, each by itself and their times together.
pub fn typed_text(text: &str, hints: Hints) -> TypedText {
    let mut typed = TypedText::default();
    let mut told = hints.times;
    let mut read: Vec<(usize, Result<Line, String>)> = Vec::new();
    for (index, line) in text.lines().enumerate() {
        let line = line.trim();
        if let Some(remark) = line.strip_prefix('#') {
            told = typed.remark(index + 1, remark).or(told);
        } else if !line.is_empty() {
            read.push((index + 1, line::line(line)));
        }
    }
    let good: Vec<&Line> = read.iter().filter_map(|(_, line)| line.as_ref().ok()).collect();
    let lines: Vec<(Spelled, &Reading)> = good.iter().map(|line| (line.time, &line.reading)).collect();
    let usable = hints.usable.or(typed.conditions.usable);
    let (minutes, times) = decide(&lines, told, usable);
    typed.times = times;
    let mut minutes = minutes.into_iter();
    let mut before: Option<f64> = None;
    for (number, line) in read {
        let reading = line.and_then(|line| {
            let minute = minutes.next().flatten();
            reading(&line, minute, before).inspect(|reading| before = Some(reading.elapsed.get()))
        });
        typed.lines.push(TypedLine { number, reading });
    }
    typed
}

impl TypedText {
    /// Notes a remark; gives back how times are read, where it says that.
    fn remark(&mut self, number: usize, remark: &str) -> Option<TimesAs> {
        let (key, value) = remark.split_once(':')?;
        if key.trim().eq_ignore_ascii_case("times") {
            let way = TimesAs::of_name(value);
            if way.is_none() {
                let names = TimesAs::ALL.map(TimesAs::name).join(", ");
                self.wrong_remarks
                    .push(FormatError::line(number, format!("times is \"{}\"; expected one of {names}", value.trim())));
            }
            return way;
        }
        if let Err(problem) = note_condition(&mut self.conditions, key, value) {
            self.wrong_remarks.push(FormatError::line(number, problem));
        }
        None
    }
}

/// Reads typed lines.
///
/// # Errors
/// Every line that cannot be read, each with its number; times that can be read two ways.
pub fn read_session_lines(text: &str) -> Result<Session, Vec<FormatError>> {
    read_typed(text, Hints::default())
}

/// Reads typed lines with what is known beside them.
///
/// # Errors
/// Every line that cannot be read, each with its number; times that can be read two ways.
pub fn read_typed(text: &str, hints: Hints) -> Result<Session, Vec<FormatError>> {
    let text = text_of(text.as_bytes()).map_err(|error| vec![error])?;
    let typed = typed_text(text, hints);
    let mut readings = Vec::new();
    let mut faults = typed.wrong_remarks;
    for line in typed.lines {
        match line.reading {
            Ok(reading) => readings.push(reading),
            Err(problem) => faults.push(FormatError::line(line.number, problem)),
        }
    }
    if let Some(ReadTimes { way, or: Some(other), .. }) = &typed.times {
        faults.push(FormatError::file(format!(
            "the times can be read as {} or as {}; expected a line such as # times: {}",
            way.name(),
            other.name(),
            way.name()
        )));
    }
    if readings.len() > MOST_READINGS {
        faults.push(FormatError::file(format!("{} readings; expected at most {MOST_READINGS}", readings.len())));
    }
    if readings.is_empty() && faults.is_empty() {
        faults.push(FormatError::file(format!("no readings; {EXPECTED}")));
    }
    if !faults.is_empty() {
        return Err(faults);
    }
    let mut conditions = typed.conditions;
    conditions.began = conditions.began.or(typed.times.as_ref().and_then(ReadTimes::began));
    conditions.other.extend(typed.times.map(|times| ("times".to_string(), times.to_string())));
    Ok(Session { readings, conditions })
}

/// A line's reading at its minute.
fn reading(line: &Line, minute: Option<f64>, before: Option<f64>) -> Result<Reading, String> {
    let Some(minute) = minute else {
        return Err(match line.time {
            Spelled::SameMinute(second) => {
                format!("\":{second}\" has no minute, and no line before to take it from; {EXPECTED}")
            }
            _ => format!("the time is spelled unlike those of the other lines; {EXPECTED}"),
        });
    };
    if let (Spelled::SameMinute(second), Some(before)) = (line.time, before.filter(|&before| minute < before)) {
        let was = clock(Minutes::new(before));
        return Err(format!("\":{second}\" would be before {was}; write the minute where it changes, such as 5:10"));
    }
    if !(0.0..=MOST_SECONDS / 60.0).contains(&minute) {
        return Err(format!("{minute:.0} min is no time of a charge; expected at most a week"));
    }
    Ok(line::at_minute(line, minute))
}

/// How many pairs of conditions remarks gave, for those who show them.
pub fn conditions_of(typed: &TypedText) -> Vec<(String, String)> {
    condition_pairs(&typed.conditions)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use spare_hour_core::quantity::Power;

    fn minutes(text: &str) -> Vec<f64> {
        let session = read_session_lines(text).unwrap_or_else(|faults| panic!("{text}: {faults:?}"));
        session.readings.iter().map(|reading| (reading.elapsed.get() * 60.0).round() / 60.0).collect()
    }

    #[test]
    fn one_line_in_many_hands() {
        let reading = |line: &str| read_session_lines(line).unwrap().readings.remove(0);
        let expected = reading("4:30 20 207 35");
        for line in [
            "4:30, 20 %, 207 kW, 35 kWh",
            "4:30;20;207;35",
            "270\t20\t207\t35",
            "0:04:30 20 % 207 kW 35 kWh",
            "4:30,20,207,35",
            "20% 207kW 35kWh at 4:30",
            "35 kWh so far, 207 kW, 20 percent after 4 min 30 s",
            "4m30s 20 207 35",
            "4.5 min 20 207 35",
            "207 kW, SoC 20 %, 35 kWh, 4'30\"",
        ] {
            assert_eq!(reading(line), expected, "{line}");
        }
        assert_eq!(reading("4:30 20,5 207,4").power, Some(Power::kw(207.4)));
        assert_eq!(reading("4:30 20").power, None);
    }

    #[test]
    fn times_as_people_write_them() {
        for (text, expected) in [
            ("5 20 150\n10 37 140\n15 52 110", vec![5.0, 10.0, 15.0]),
            ("5 min 20 %\n10 min 37 %", vec![5.0, 10.0]),
            ("10:54 20\n11:04 45\n12:02 95", vec![0.0, 10.0, 68.0]),
            ("13:45 20 % 150 kW\n14:05 60 % 90 kW", vec![0.0, 20.0]),
            ("1:45 pm 20\n2:05 pm 60", vec![0.0, 20.0]),
            ("at 10:54 20 % 150 kW\nat 11:14 58 % 100 kW", vec![0.0, 20.0]),
            ("23:50 20 150\n0:10 60 90", vec![0.0, 20.0]),
            ("11:50 20 150\n12:10 58 90\n1:05 95 20", vec![0.0, 20.0, 75.0]),
            ("0:55:00 70 60\n1:05:00 80 50", vec![55.0, 65.0]),
            ("50 min 70 60\n1 h 05 80 50", vec![50.0, 65.0]),
            ("1h05 80 50\n1h15 88 30", vec![65.0, 75.0]),
            ("90 s 20 150\n300 s 32 145", vec![1.5, 5.0]),
            ("0 10 150\n60 14 150\n120 18 150\n600 48 120", vec![0.0, 1.0, 2.0, 10.0]),
            ("0:00 10\n4:30 20\n9:10 30\n75:00 95", vec![0.0, 4.5, 9.166_666_666_666_666, 75.0]),
            ("14:02 10 120\n12:05 18 118\n14:31 64", vec![117.0, 0.0, 146.0]),
            ("18:10 40 7.4\n19:10 47 7.4\n20:10 54 7.4", vec![0.0, 60.0, 120.0]),
        ] {
            let found = minutes(text);
            assert!(
                found.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-9) && found.len() == expected.len(),
                "{text}: {found:?}"
            );
        }
    }

    #[test]
    fn what_two_ways_are_possible_is_asked() {
        // Eight points: in 48 seconds of a recording at a very strong charger, or in 48 minutes beside a post?
        let text = "20:00 40\n20:24 44\n20:48 48\n";
        let faults = read_session_lines(text).unwrap_err();
        assert!(faults[0].to_string().contains("# times:"), "{faults:?}");
        assert_eq!(minutes(&format!("# times: time of day\n{text}")), [0.0, 24.0, 48.0]);
        let told = Hints { times: Some(TimesAs::MinutesAndSeconds), ..Hints::default() };
        assert!((read_typed(text, told).unwrap().readings[1].elapsed.get() - 20.4).abs() < 1e-5);
        let typed = typed_text("10:54 20\n12:02 95", Hints::default());
        assert_eq!(typed.times.unwrap().to_string(), "read as time of day, 10:54 to 12:02");
    }

    #[test]
    fn units_count_and_anything_may_be_missing() {
        let session = read_session_lines(
            "# range_km: 450\n0:00 10 % 350 V 300 A 41 °C\n1:00 192 kW\n2:00 50.24 kWh, 105 °F, outside 5 °C\n3:00 225 km\n9:00 140 mi",
        )
        .unwrap();
        let [first, second, third, fourth, fifth] = &session.readings[..] else { panic!("{session:?}") };
        assert_eq!(
            (first.power, first.voltage.map(spare_hour_core::quantity::Voltage::get)),
            (Some(Power::kw(105.0)), Some(350.0))
        );
        assert_eq!(first.battery.map(spare_hour_core::quantity::Temperature::get), Some(41.0));
        assert_eq!((second.soc, second.power), (None, Some(Power::kw(192.0))));
        assert_eq!(third.energy, Some(Energy::kwh(50.24)));
        assert!((third.battery.unwrap().get() - 40.555_555).abs() < 1e-5 && third.ambient.unwrap().get() == 5.0);
        assert_eq!(fourth.range.map(spare_hour_core::quantity::Distance::get), Some(225.0));
        assert!((fifth.range.unwrap().get() - 225.308).abs() < 0.001);
        let dictated = read_session_lines("0:00 10\n192 kW after one minute, rain").unwrap();
        assert_eq!((dictated.readings[1].elapsed.get(), dictated.readings[1].note.as_deref()), (1.0, Some("rain")));
    }

    #[test]
    fn a_repeated_minute_may_be_left_out() {
        let seconds: Vec<f64> = minutes("4:30 20 207\n:45 21 206\n:52 22 205\n5:03 23\n:10 24\n")
            .iter()
            .map(|m| (m * 60.0).round())
            .collect();
        assert_eq!(seconds, [270.0, 285.0, 292.0, 303.0, 310.0]);
        let said = |text: &str| read_session_lines(text).unwrap_err()[0].to_string();
        assert!(said(":45 21").contains("no line before"), "{}", said(":45 21"));
        assert!(said("4:45 21\n:10 22").contains("would be before 4:45"));
    }

    #[test]
    fn every_bad_line_is_named() {
        let faults = read_session_lines("0:00 10 150\n4:75 20\n# break\n5:00 120\n6:00\n7:00 30 1 2 3\n").unwrap_err();
        let said: Vec<String> = faults.iter().map(ToString::to_string).collect();
        assert_eq!(said.len(), 4, "{said:?}");
        assert!(said[0].starts_with("line 2: \"4:75\" is no time"), "{said:?}");
        assert!(said[1].starts_with("line 4: \"120\" is not 0 to 100 %"), "{said:?}");
        assert!(said[3].starts_with("line 6: ") && said[3].contains("5 parts"), "{said:?}");
        assert!(read_session_lines("\n").unwrap_err()[0].to_string().contains("no readings"));
    }

    proptest! {
        #[test]
        fn never_panics(text in "\\PC{0,80}(\n[0-9:;, %kWhminspa]{0,30}){0,5}") {
            let _ = read_session_lines(&text);
            let _ = crate::read_session(&text);
        }
    }
}
