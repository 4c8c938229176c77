//! What a kWh, a minute and a charge cost along a trip's clock, where nothing but the clock counts.

use spare_hour_core::trip::Price;

/// Moments nearer than this are one, minutes.
const SAME_MOMENT: f64 = 1e-9;

/// Prices count from a little after they change, minutes.
const SHORTLY: f64 = 0.01;

/// Prices with VAT from one change to the next.
#[derive(Clone, Debug)]
pub(crate) struct Rates {
    spans: Vec<Rate>,
    /// The place of the span in which each hour of the trip begins.
    by_hour: Vec<usize>,
}

/// The prices until a minute of the trip.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Rate {
    pub(crate) to: f64,
    pub(crate) per_kwh: f64,
    pub(crate) per_min: f64,
    /// Once for each charge; nought where nothing is asked.
    pub(crate) per_charge: f64,
}

impl Rate {
    fn asks_as(&self, other: &Self) -> bool {
        Self { to: other.to, ..*self } == *other
    }
}

impl Rates {
    /// Spans in order, at least one; the last has no end.
    pub(crate) fn new(all: impl IntoIterator<Item = Rate>) -> Self {
        let mut spans: Vec<Rate> = Vec::new();
        for rate in all {
            match spans.last_mut() {
                Some(last) if last.asks_as(&rate) => last.to = rate.to,
                _ => spans.push(rate),
            }
        }
        if let Some(last) = spans.last_mut() {
            last.to = f64::INFINITY;
        }
        let last = spans.len().saturating_sub(2);
        let hours =
            0..spans.get(last).map_or(0, |last| if last.to.is_finite() { (last.to / 60.0) as usize + 2 } else { 1 });
        let place = |hour: usize| spans.partition_point(|span| span.to <= 60.0 * hour as f64);
        Self { by_hour: hours.map(place).collect(), spans }
    }

    /// Which of the spans a minute of the trip lies in.
    pub(crate) fn place(&self, minute: f64) -> usize {
        let hour = ((minute / 60.0) as usize).min(self.by_hour.len() - 1);
        self.place_after(self.by_hour[hour], minute)
    }

    /// The same, looked for from a place on; of a charge that never ends the last.
    fn place_after(&self, mut place: usize, minute: f64) -> usize {
        while place + 1 < self.spans.len() && self.spans[place].to <= minute + SAME_MOMENT {
            place += 1;
        }
        place
    }

    /// Whether the prices of a place stay until a minute of the trip.
    pub(crate) fn stay(&self, place: usize, until: f64) -> bool {
        until <= self.spans[place].to
    }

    /// The least of each that is asked from shortly after a minute of the trip until shortly after another.
    pub(crate) fn least_within(&self, from: f64, to: f64) -> Price {
        let first = self.place(from + SHORTLY);
        let after = self.spans[first..].iter().take_while(|span| span.to <= to).count();
        let rates = self.spans[first..=(first + after).min(self.spans.len() - 1)].iter();
        let none = Price { per_kwh: f64::INFINITY, per_min: f64::INFINITY, per_session: f64::INFINITY };
        rates.fold(none, |least, rate| Price {
            per_kwh: rate.per_kwh.min(least.per_kwh),
            per_min: rate.per_min.min(least.per_min),
            per_session: rate.per_charge.min(least.per_session),
        })
    }

    /// What is asked for so many kWh from the plug in so many minutes, from a minute of the trip on, which lies in the span of a place
    /// or a later one: the place moves on with it. `flat` tells whether the price of the charge itself was asked.
    pub(crate) fn charge(&self, place: &mut usize, from: f64, (minutes, kwh): (f64, f64), flat: &mut bool) -> f64 {
        *place = self.place_after(*place, from);
        let mut asked = 0.0;
        let (end, pace, mut at) = (from + minutes, kwh / minutes.max(SAME_MOMENT), from);
        for rate in &self.spans[*place..] {
            if !*flat && rate.per_charge != 0.0 {
                *flat = true;
                asked += rate.per_charge;
            }
            if end <= rate.to {
                let (part, kwh) = if at == from { (minutes, kwh) } else { (end - at, pace * (end - at)) };
                return asked + rate.per_kwh * kwh + rate.per_min * part;
            }
            asked += (rate.per_kwh * pace + rate.per_min) * (rate.to - at);
            at = rate.to;
        }
        asked
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rate(to: f64, per_kwh: f64, per_charge: f64) -> Rate {
        Rate { to, per_kwh, per_min: 0.02, per_charge }
    }

    #[test]
    fn a_charge_is_asked_for_by_the_price_of_each_of_its_minutes() {
        // By hand: 20 kWh in 40 minutes, half a kWh each minute, 10 of them at 0.6 and 30 at 0.4, once 1.5, each minute 0.02.
        let rates =
            Rates::new([rate(60.0, 0.6, 0.0), rate(90.0, 0.4, 1.5), rate(300.0, 0.4, 1.5), rate(400.0, 0.9, 0.0)]);
        let (mut place, mut flat) = (0, false);
        let asked = rates.charge(&mut place, 50.0, (40.0, 20.0), &mut flat);
        assert!((asked - (5.0 * 0.6 + 15.0 * 0.4 + 1.5 + 0.8)).abs() < 1e-12, "{asked}");
        assert!(flat && place == 0);
        // What goes on asks no flat price again; spans that ask the same are one.
        let more = rates.charge(&mut place, 90.0, (10.0, 5.0), &mut flat);
        assert!((more - 2.2).abs() < 1e-12 && place == 1, "{more} at {place}");
        let least = rates.least_within(58.0, 61.0);
        assert_eq!((least.per_kwh, least.per_session, rates.least_within(20.0, 50.0).per_kwh), (0.4, 0.0, 0.6));
        assert_eq!([rates.place(59.0), rates.place(60.0), rates.place(299.0), rates.place(9e9)], [0, 1, 1, 2]);
        // Where the power is nought, a charge never ends.
        assert_eq!(rates.place(f64::INFINITY), 2);
        assert!((rates.charge(&mut 0, f64::INFINITY, (1.0, 1.0), &mut flat) - 0.92).abs() < 1e-12);
    }
}
