//! When a place is open: spans of the day on days of the week, in the place's own time.
//!
//! Written as `24/7`, or as days and spans such as `Mo-Fr 06:00-22:00; Sa,Su 08:00-20:00`. A span that ends before it begins
//! goes on past midnight. Holidays are not known.

use std::fmt;
use std::str::FromStr;

use crate::quantity::Minutes;
use crate::quantity::units::{ClockFace, parse_time};

const DAYS: [&str; 7] = ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"];
const DAY: u32 = 1440;
/// Most spans of a week.
const MOST_SPANS: usize = 70;
const EXPECTED: &str = "expected 24/7, or such as Mo-Fr 06:00-22:00; Sa,Su 08:00-20:00";

/// A span of the day on some days of the week.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OpenSpan {
    /// Monday first.
    pub days: [bool; 7],
    /// Minutes after midnight.
    pub from: u32,
    /// Minutes after midnight, to 1440; at or before `from` it is on the next day.
    pub to: u32,
}

/// The hours of a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum OpeningHours {
    /// Never closed.
    Always,
    /// Open in these spans only.
    Spans(Vec<OpenSpan>),
}

impl OpenSpan {
    /// Length, minutes.
    fn length(&self) -> u32 {
        if self.to > self.from { self.to - self.from } else { self.to + DAY - self.from }
    }

    /// Where it ends, from a minute within it that may be of a later week.
    fn end_after(&self, minute: f64) -> Option<f64> {
        let week = f64::from(7 * DAY);
        let of_day = |day: usize| {
            let since = (minute - (day as f64 * f64::from(DAY) + f64::from(self.from))).rem_euclid(week);
            (since < f64::from(self.length())).then(|| minute + f64::from(self.length()) - since)
        };
        (0..7).filter(|&day| self.days[day]).filter_map(of_day).reduce(f64::max)
    }

    /// Minutes until it begins, from a minute of the week; 0 within it.
    fn until(&self, minute: u32) -> Option<u32> {
        let week = 7 * DAY;
        let of_day = |day: usize| {
            let since = (minute + week - (day as u32 * DAY + self.from)) % week;
            if since < self.length() { 0 } else { week - since }
        };
        (0..7).filter(|&day| self.days[day]).map(of_day).min()
    }
}

impl OpeningHours {
    /// Minutes until it is open, from a day of the week (0 is Monday) and minutes after its midnight; 0 when it is open. `None`
    /// when it never is.
    pub fn wait(&self, day: usize, minute: f64) -> Option<Minutes> {
        let at = (day % 7) as u32 * DAY + minute.clamp(0.0, f64::from(DAY) - 1.0) as u32;
        match self {
            Self::Always => Some(Minutes::new(0.0)),
            Self::Spans(spans) => {
                let soonest = spans.iter().filter_map(|span| span.until(at)).min();
                soonest.map(|minutes| Minutes::new(f64::from(minutes)))
            }
        }
    }
}

impl OpeningHours {
    /// Minutes that it goes on being open, from a day of the week (0 is Monday) and minutes after its midnight; 0 when it is
    /// closed. `None` when it does not close within a week.
    pub fn open_for(&self, day: usize, minute: f64) -> Option<Minutes> {
        let Self::Spans(spans) = self else { return None };
        let began = (day % 7) as f64 * f64::from(DAY) + minute.clamp(0.0, f64::from(DAY));
        let mut at = began;
        // Each round goes to the end of the span that lasts longest; spans that touch are one.
        while let Some(end) = spans.iter().filter_map(|span| span.end_after(at)).reduce(f64::max) {
            at = end;
            if at - began >= f64::from(7 * DAY) {
                return None;
            }
        }
        Some(Minutes::new(at - began))
    }
}

impl OpeningHours {
    /// The hours on a person's clock face; they can be read back.
    pub fn told(&self, clock: ClockFace) -> String {
        self.with_times(|minutes| clock.time(minutes))
    }

    fn with_times(&self, time: impl Fn(u32) -> String) -> String {
        let Self::Spans(spans) = self else { return "24/7".into() };
        let rule = |span: &OpenSpan| {
            let days = if span.days == [true; 7] { String::new() } else { days_text(span.days) + " " };
            format!("{days}{}-{}", time(span.from), time(span.to))
        };
        spans.iter().map(rule).collect::<Vec<_>>().join("; ")
    }
}

impl FromStr for OpeningHours {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("“{}” are no opening hours; {EXPECTED}", text.trim());
        if text.trim() == "24/7" {
            return Ok(Self::Always);
        }
        let mut spans = Vec::new();
        for rule in text.split(';').map(str::trim).filter(|rule| !rule.is_empty()) {
            let (days, times) = match rule.split_once(' ') {
                Some((days, times)) if days.starts_with(|c: char| c.is_ascii_alphabetic()) => {
                    (parse_days(days).ok_or_else(wrong)?, times)
                }
                _ => ([true; 7], rule),
            };
            for span in times.split(',') {
                let (from, to) = span.replace('–', "-").split_once('-').and_then(parse_span).ok_or_else(wrong)?;
                spans.push(OpenSpan { days, from, to });
            }
        }
        if spans.is_empty() || spans.len() > MOST_SPANS { Err(wrong()) } else { Ok(Self::Spans(spans)) }
    }
}

fn parse_span((from, to): (&str, &str)) -> Option<(u32, u32)> {
    let end = if to.trim() == "24:00" { Some(DAY) } else { parse_time(to) };
    Some((parse_time(from)?, end?))
}

/// `Mo-Fr,Su`.
fn parse_days(text: &str) -> Option<[bool; 7]> {
    let day = |name: &str| DAYS.iter().position(|day| day.eq_ignore_ascii_case(name.trim()));
    let mut days = [false; 7];
    for part in text.split(',') {
        let (first, last) = part.split_once('-').unwrap_or((part, part));
        let (first, last) = (day(first)?, day(last)?);
        let length = (last + 7 - first) % 7;
        (0..=length).for_each(|step| days[(first + step) % 7] = true);
    }
    Some(days)
}

impl fmt::Display for OpeningHours {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.with_times(|minutes| format!("{:02}:{:02}", minutes / 60, minutes % 60)))
    }
}

/// Days with runs drawn together: `Mo-Fr,Su`.
fn days_text(days: [bool; 7]) -> String {
    let mut parts: Vec<String> = Vec::new();
    let mut day = 0;
    while day < 7 {
        let length = (day..7).take_while(|&day| days[day]).count();
        match length {
            0 => {}
            1 => parts.push(DAYS[day].into()),
            _ => parts.push(format!("{}-{}", DAYS[day], DAYS[day + length - 1])),
        }
        day += length.max(1);
    }
    parts.join(",")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wait(hours: &str, day: usize, minute: f64) -> Option<f64> {
        hours.parse::<OpeningHours>().unwrap().wait(day, minute).map(Minutes::get)
    }

    #[test]
    fn waits_by_hand() {
        let shop = "Mo-Fr 06:00-22:00; Sa 08:00-20:00";
        assert_eq!(wait(shop, 0, 360.0), Some(0.0));
        assert_eq!(wait(shop, 0, 300.0), Some(60.0));
        // Friday at 22:00 it closes; Saturday at 8:00 is ten hours on. Saturday at 20:00 to Monday at 6:00: 34 h.
        assert_eq!(wait(shop, 4, 1320.0), Some(600.0));
        assert_eq!(wait(shop, 5, 1200.0), Some(2040.0));
        // Past midnight, and past the end of the week.
        assert_eq!(wait("Su 22:00-02:00", 0, 119.0), Some(0.0));
        assert_eq!(wait("Su 22:00-02:00", 0, 120.0), Some(6.0 * 1440.0 + 1320.0 - 120.0));
        assert_eq!(wait("24/7", 3, 900.0), Some(0.0));
        assert_eq!(wait("07:00-24:00", 3, 1439.0), Some(0.0));
    }

    #[test]
    fn what_is_read_is_written_back() {
        for text in ["24/7", "Mo-Fr 06:00-22:00; Sa-Su 08:00-20:00", "Mo,We,Fr-Su 22:00-02:00", "00:00-24:00"] {
            assert_eq!(text.parse::<OpeningHours>().unwrap().to_string(), text);
        }
        let spelled: OpeningHours = "fr-mo 6:00–10:00, 4 pm-8 pm".parse().unwrap();
        assert_eq!(spelled.to_string(), "Mo,Fr-Su 06:00-10:00; Mo,Fr-Su 16:00-20:00");
        let told = spelled.told(ClockFace::Twelve);
        assert_eq!(told, "Mo,Fr-Su 6:00 am-10:00 am; Mo,Fr-Su 4:00 pm-8:00 pm");
        assert_eq!(told.parse::<OpeningHours>().unwrap(), spelled);
        for text in ["", "always", "Mo 6-8", "Xx 06:00-08:00", "Mo 06:00", "25:00-26:00"] {
            assert!(text.parse::<OpeningHours>().unwrap_err().contains("expected 24/7, or such as"), "{text}");
        }
    }

    #[test]
    fn open_for_as_long_as_spans_touch() {
        let open = |text: &str, day: usize, minute: f64| {
            let hours: OpeningHours = text.parse().unwrap();
            hours.open_for(day, minute).map(Minutes::get)
        };
        assert_eq!(open("24/7", 2, 100.0), None);
        assert_eq!(open("Mo-Fr 08:00-12:00,13:00-18:00", 0, 600.5), Some(119.5));
        assert_eq!(open("Mo-Fr 08:00-12:00,13:00-18:00", 0, 730.0), Some(0.0));
        assert_eq!(open("Mo 08:00-12:00,12:00-18:00", 0, 600.0), Some(480.0));
        assert_eq!(open("Mo,Tu 22:00-06:00", 1, 60.0), Some(300.0));
        assert_eq!(open("Mo-Su 00:00-24:00", 3, 10.0), None);
        assert_eq!(open("Su 20:00-24:00; Mo 00:00-02:00", 6, 1380.0), Some(180.0));
    }
}
