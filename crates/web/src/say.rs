//! Figures as people read them.

use spare_hour_core::quantity::{Minutes, Soc};

/// Minutes as `1 h 23 min`, or `23 min` below an hour.
pub(crate) fn duration(minutes: Minutes) -> String {
    let whole = minutes.get().round() as i64;
    if whole < 60 { format!("{whole} min") } else { format!("{} h {:02} min", whole / 60, whole % 60) }
}

/// Minutes with a decimal below ten, without above.
pub(crate) fn minutes(minutes: f64) -> String {
    if minutes.abs() < 9.95 { format!("{minutes:.1}") } else { format!("{minutes:.0}") }
}

/// A difference in minutes with its sign; nothing at all is "±0".
pub(crate) fn more_minutes(difference: f64) -> String {
    if difference.abs() < 0.05 {
        "±0 min".into()
    } else {
        format!("{}{} min", sign(difference), minutes(difference.abs()))
    }
}

/// A difference in money with its sign.
pub(crate) fn more_money(difference: f64, currency: &str) -> String {
    if difference.abs() < 0.005 {
        format!("±0 {currency}")
    } else {
        format!("{}{:.2} {currency}", sign(difference), difference.abs())
    }
}

fn sign(difference: f64) -> &'static str {
    if difference < 0.0 { "−" } else { "+" }
}

/// SoC in whole percents.
pub(crate) fn percent(soc: Soc) -> String {
    format!("{:.0} %", soc.get())
}

/// The time of day some minutes after a departure in minutes after midnight, with the day when it is not the first.
pub(crate) fn time_of_day(departure: f64, minutes: f64) -> String {
    let at = (departure + minutes).round() as i64;
    let (day, hour, minute) = (at / 1440, at / 60 % 24, at % 60);
    if day == 0 { format!("{hour:02}:{minute:02}") } else { format!("{hour:02}:{minute:02} +{day} d") }
}

/// A number for a field: no more decimals than it has.
pub(crate) fn field(number: f64) -> String {
    let text = format!("{number:.3}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_read_well() {
        assert_eq!(duration(Minutes::new(59.4)), "59 min");
        assert_eq!(duration(Minutes::new(125.0)), "2 h 05 min");
        assert_eq!(["+3.2 min", "−12 min", "±0 min"], [3.2, -12.1, 0.01].map(more_minutes));
        assert_eq!(more_money(-1.4, "cr"), "−1.40 cr");
        assert_eq!(time_of_day(480.0, 1000.0), "00:40 +1 d");
        assert_eq!([field(10.0), field(0.5), field(17.25)], ["10", "0.5", "17.25"]);
    }
}
