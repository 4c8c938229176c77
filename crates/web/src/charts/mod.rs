//! What all charts share: scales, paths and round ticks; the chart with two axes; taking charts away.

pub(crate) mod bricks;
pub(crate) mod day_line;
pub(crate) mod map;
mod plot;
pub(crate) mod price_day;
mod take_away;

pub(crate) use plot::{BOTTOM, Dot, Line, Mark, Part, Plot, TOP, x_scale, y_scale};
pub(crate) use take_away::{Kind, drawing_file, parse_file};

/// A linear scale from values to a chart's units.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Scale {
    from: (f64, f64),
    to: (f64, f64),
}

impl Scale {
    /// Maps `from.0..=from.1` to `to.0..=to.1`.
    pub(crate) fn new(from: (f64, f64), to: (f64, f64)) -> Self {
        Self { from, to }
    }

    /// Where a value lies.
    pub(crate) fn at(&self, value: f64) -> f64 {
        let width = self.from.1 - self.from.0;
        let share = if width == 0.0 { 0.0 } else { (value - self.from.0) / width };
        let place = self.to.0 + share * (self.to.1 - self.to.0);
        (place * 10.0).round() / 10.0
    }
}

/// An SVG path through points.
pub(crate) fn path(points: impl IntoIterator<Item = (f64, f64)>, x: &Scale, y: &Scale) -> String {
    let mut text = String::new();
    for (a, b) in points {
        text.push_str(if text.is_empty() { "M" } else { "L" });
        text.push_str(&format!("{} {}", x.at(a), y.at(b)));
    }
    text
}

/// A mark on an axis.
#[derive(Clone, Debug)]
pub(crate) struct Tick {
    pub(crate) at: f64,
    pub(crate) label: String,
}

/// About `count` ticks at round values from 0 to `most`.
pub(crate) fn ticks(most: f64, count: f64, scale: &Scale) -> Vec<Tick> {
    let step = round_step(most / count);
    (0..=(most / step + 1e-9).floor() as usize)
        .map(|index| index as f64 * step)
        .map(|value| Tick { at: scale.at(value), label: format!("{value:.0}") })
        .collect()
}

/// About `count` ticks at round values between two, which may be below 0.
pub(crate) fn ticks_between(low: f64, high: f64, count: f64, scale: &Scale) -> Vec<Tick> {
    let step = round_step((high - low) / count);
    let (first, last) = ((low / step - 1e-9).ceil() as i64, (high / step + 1e-9).floor() as i64);
    (first..=last)
        .map(|index| index as f64 * step)
        .map(|value| Tick { at: scale.at(value), label: format!("{value:.0}").replace('-', "−") })
        .collect()
}

/// Ticks of C-rate, 1/h, beside an axis of power in kW.
pub(crate) fn c_rate_ticks(most_kw: f64, usable_kwh: f64, scale: &Scale) -> Vec<Tick> {
    let most = most_kw / usable_kwh;
    let step = if most > 2.5 { 1.0 } else { 0.5 };
    (1..=(most / step).floor() as usize)
        .map(|index| index as f64 * step)
        .map(|rate| Tick { at: scale.at(rate * usable_kwh), label: format!("{rate} C") })
        .collect()
}

/// The smallest of 1, 2, 5, 10, 20, 50, … that is at least `least`.
fn round_step(least: f64) -> f64 {
    let ten = 10_f64.powf(least.max(1.0).log10().floor());
    [1.0, 2.0, 5.0, 10.0].map(|factor| factor * ten).into_iter().find(|&step| step >= least).unwrap_or(10.0 * ten)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ticks_are_round() {
        let scale = Scale::new((0.0, 190.0), (0.0, 100.0));
        let labels: Vec<String> = ticks(190.0, 5.0, &scale).into_iter().map(|tick| tick.label).collect();
        assert_eq!(labels, ["0", "50", "100", "150"]);
        let below: Vec<String> = ticks_between(-30.0, 85.0, 5.0, &scale).into_iter().map(|tick| tick.label).collect();
        assert_eq!(below, ["0", "50"]);
        let both: Vec<String> = ticks_between(-30.0, 45.0, 5.0, &scale).into_iter().map(|tick| tick.label).collect();
        assert_eq!(both, ["−20", "0", "20", "40"]);
        assert_eq!([0.3, 1.2, 3.0, 7.0, 45.0].map(round_step), [1.0, 2.0, 5.0, 10.0, 50.0]);
    }

    #[test]
    fn paths_move_and_then_draw() {
        let unit = Scale::new((0.0, 1.0), (0.0, 10.0));
        assert_eq!(path([(0.0, 0.0), (0.5, 1.0)], &unit, &unit), "M0 0L5 10");
        assert!(Scale::new((3.0, 3.0), (0.0, 10.0)).at(3.0).is_finite());
    }
}
