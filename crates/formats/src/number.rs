//! Numbers and clock times as people write them, and numbers as the contract wants them.

use spare_hour_core::quantity::Minutes;

/// Longest time on a session's clock, in seconds: a week.
pub(crate) const MOST_SECONDS: f64 = 604_800.0;

/// A number with a decimal point or comma, and perhaps the unit it is in. Only finite numbers are numbers.
pub(crate) fn parse_number(text: &str, unit: &str) -> Option<f64> {
    let text = text.trim();
    let bare = match text.get(text.len().saturating_sub(unit.len())..) {
        Some(end) if !unit.is_empty() && end.eq_ignore_ascii_case(unit) => text[..text.len() - unit.len()].trim_end(),
        _ => text,
    };
    let plain = !bare.is_empty() && bare.chars().all(|c| c.is_ascii_digit() || "+-.,eE".contains(c));
    let commas = bare.matches(',').count();
    if !plain || commas > 1 || (commas == 1 && bare.contains('.')) {
        return None;
    }
    bare.replace(',', ".").parse().ok().filter(|number: &f64| number.is_finite())
}

/// A clock time: `h:mm:ss`, `mm:ss` (minutes may pass 59) or seconds.
pub fn parse_clock(text: &str) -> Option<Minutes> {
    let parts: Vec<&str> = text.trim().split(':').collect();
    let whole = |part: &str| (!part.is_empty() && part.len() <= 6).then(|| part.parse::<u32>().ok()).flatten();
    let sixtieth = |part: &str| parse_number(part, "").filter(|number| (0.0..60.0).contains(number));
    let seconds = match parts[..] {
        [seconds] => parse_number(seconds, "s")?,
        [minutes, seconds] => 60.0 * f64::from(whole(minutes)?) + sixtieth(seconds)?,
        [hours, minutes, seconds] => {
            let minutes = whole(minutes).filter(|&minutes| minutes < 60)?;
            3600.0 * f64::from(whole(hours)?) + 60.0 * f64::from(minutes) + sixtieth(seconds)?
        }
        _ => return None,
    };
    (0.0..=MOST_SECONDS).contains(&seconds).then(|| Minutes::seconds(seconds))
}

/// Minutes as `m:ss`, or `h:mm:ss` from an hour on.
pub fn clock(minutes: Minutes) -> String {
    let seconds = (minutes.get() * 60.0).round() as i64;
    let (hours, rest) = (seconds / 3600, seconds % 3600);
    if hours > 0 {
        format!("{hours}:{:02}:{:02}", rest / 60, rest % 60)
    } else {
        format!("{}:{:02}", rest / 60, rest % 60)
    }
}

/// A number for JSON: at most five decimals, so that it is written plainly and never with an exponent.
pub(crate) fn plain(number: f64) -> f64 {
    (number * 1e5).round() / 1e5 + 0.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn clocks_in_every_spelling() {
        let seconds = |text: &str| parse_clock(text).map(|minutes| (minutes.get() * 60.0).round());
        assert_eq!(
            ["4:30", "0:04:30", "270", "270 s", " 4:30 ", "75:00", "1:15:00"].map(seconds),
            [Some(270.0), Some(270.0), Some(270.0), Some(270.0), Some(270.0), Some(4500.0), Some(4500.0),]
        );
        assert_eq!(["", ":", "4:60", "1:60:00", "-4", "x", "1:2:3:4", "9e99", "NaN", "4:"].map(seconds), [None; 10]);
        assert_eq!(clock(Minutes::new(75.5)), "1:15:30");
        assert_eq!(clock(Minutes::new(4.5)), "4:30");
    }

    #[test]
    fn numbers_with_commas_and_units() {
        let number = |text: &str| parse_number(text, "kW");
        assert_eq!(
            ["207", "207,5", "207.5 kW", "207kw", "1.207,5", "", "kW", "inf", "2 0"].map(number),
            [Some(207.0), Some(207.5), Some(207.5), Some(207.0), None, None, None, None, None,]
        );
        assert_eq!(serde_json::to_string(&plain(1e-7)).unwrap(), "0.0");
        assert_eq!(serde_json::to_string(&plain(0.000_01)).unwrap(), "0.00001");
        assert_eq!(serde_json::to_string(&plain(-1e-9)).unwrap(), "0.0");
    }
}
