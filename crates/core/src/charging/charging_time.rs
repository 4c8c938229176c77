//! Charging time: τ(a, d) = 60 · ∫ from a to d of (E/100) / P(s) ds, in minutes, in closed form.
//!
//! E is the usable capacity in kWh, P the power into the battery in kW, s the SoC in %. Where power is constant over a
//! piece, τ = 60·E·Δs/100/P; where it is linear, P = p0 + m·(s − s0), τ = 60·(E/100)/m · ln(P(d)/P(a)). Both are
//! plain calculus; no step size is involved.
//!
//! ```
//! use spare_hour_core::{charging::{charging_time::ChargingTime, profile::Profile}, quantity::{Energy, Soc}};
//! let time = ChargingTime::new(&Profile::constant(60.0), Energy::kwh(60.0));
//! assert!((time.minutes(Soc::percent(10.0), Soc::percent(80.0)).get() - 42.0).abs() < 1e-9);
//! ```

use crate::charging::profile::{Piece, Profile};
use crate::quantity::{Energy, Minutes, Soc};

/// Minutes to charge along one power profile, as a function of SoC.
#[derive(Clone, Debug)]
pub struct ChargingTime {
    pieces: Vec<Piece>,
    /// Minutes from 0 % to the start of each piece, and to the end of the last.
    at_start: Vec<f64>,
    /// Kilowatt-minutes per percent: 60 · E / 100.
    per_percent: f64,
}

impl ChargingTime {
    /// The times of a battery of `usable` capacity on a power profile in kW.
    pub fn new(power: &Profile, usable: Energy) -> Self {
        let per_percent = 0.6 * usable.get();
        let pieces = power.pieces();
        let mut at_start = Vec::with_capacity(pieces.len() + 1);
        let mut minutes = 0.0;
        for piece in &pieces {
            at_start.push(minutes);
            minutes += minutes_within(piece, piece.to, per_percent);
        }
        at_start.push(minutes);
        Self { pieces, at_start, per_percent }
    }

    /// Minutes from one SoC up to another. Infinite where the power is 0 on the way.
    pub fn minutes(&self, from: Soc, to: Soc) -> Minutes {
        Minutes::new(self.minutes_to(to.get()) - self.minutes_to(from.get()))
    }

    /// The SoC reached from `from` after `minutes`; at most 100 %.
    pub fn soc_after(&self, from: Soc, minutes: Minutes) -> Soc {
        let target = self.minutes_to(from.get()) + minutes.get();
        let after = self.at_start.partition_point(|&start| start <= target);
        let Some(piece) = after.checked_sub(1).and_then(|index| self.pieces.get(index)) else {
            return Soc::percent(100.0);
        };
        Soc::percent(soc_within(piece, target - self.at_start[after - 1], self.per_percent).min(100.0))
    }

    /// Minutes from 0 % to a SoC in %; the antiderivative that differences are taken of.
    pub(crate) fn minutes_to(&self, soc: f64) -> f64 {
        let index = self.piece_at(soc);
        self.at_start[index] + minutes_within(&self.pieces[index], soc, self.per_percent)
    }

    /// Minutes per percent at a given power in kW.
    pub fn minutes_per_percent(&self, kw: f64) -> f64 {
        self.per_percent / kw
    }

    /// Reads the times at rising SoC values, one after the other.
    pub fn sampler(&self, start: f64) -> Sampler<'_> {
        Sampler { time: self, index: self.piece_at(start), soc: start }
    }

    /// The piece that holds a SoC; at a boundary the later one.
    fn piece_at(&self, soc: f64) -> usize {
        self.pieces.partition_point(|piece| piece.to <= soc).min(self.pieces.len() - 1)
    }
}

/// Minutes from the start of a piece to a SoC within it.
fn minutes_within(piece: &Piece, soc: f64, per_percent: f64) -> f64 {
    let slope = (piece.end - piece.start) / (piece.to - piece.from);
    let gain = slope * (soc - piece.from) / piece.start;
    if gain.abs() < 1e-9 { per_percent * (soc - piece.from) / piece.start } else { per_percent * gain.ln_1p() / slope }
}

/// The SoC at a number of minutes after the start of a piece.
fn soc_within(piece: &Piece, minutes: f64, per_percent: f64) -> f64 {
    let slope = (piece.end - piece.start) / (piece.to - piece.from);
    let growth = slope * minutes / per_percent;
    let points =
        if growth.abs() < 1e-9 { piece.start * minutes / per_percent } else { piece.start * growth.exp_m1() / slope };
    piece.from + points
}

/// A walk up the SoC axis that knows the time at each point and the range of power since the last.
#[derive(Debug)]
pub struct Sampler<'a> {
    time: &'a ChargingTime,
    index: usize,
    soc: f64,
}

/// What a [`Sampler`] saw on its way to a point.
#[derive(Clone, Copy, Debug)]
pub struct Sample {
    /// Minutes from 0 % to the point.
    pub from_empty: f64,
    /// Lowest power in kW between the last point and this one.
    pub low_kw: f64,
    /// Highest power in kW between the last point and this one.
    pub high_kw: f64,
}

impl Sampler<'_> {
    /// Moves up to `soc`, which is not below the last one.
    pub fn advance(&mut self, soc: f64) -> Sample {
        let pieces = &self.time.pieces;
        let first = pieces[self.index].at(self.soc);
        let (mut low_kw, mut high_kw) = (first, first);
        while pieces[self.index].to < soc && self.index + 1 < pieces.len() {
            for kw in [pieces[self.index].end, pieces[self.index + 1].start] {
                low_kw = low_kw.min(kw);
                high_kw = high_kw.max(kw);
            }
            self.index += 1;
        }
        let piece = &pieces[self.index];
        let kw = piece.at(soc);
        self.soc = soc;
        let from_empty = self.time.at_start[self.index] + minutes_within(piece, soc, self.time.per_percent);
        if piece.to <= soc && self.index + 1 < pieces.len() {
            self.index += 1;
        }
        Sample { from_empty, low_kw: low_kw.min(kw), high_kw: high_kw.max(kw) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn soc(percent: f64) -> Soc {
        Soc::percent(percent)
    }

    /// Midpoint rule with steps of a thousandth of a percent: knows nothing of closed forms.
    fn fine_steps(power: &Profile, usable: f64, from: f64, to: f64) -> f64 {
        let steps = ((to - from) * 1000.0).ceil().max(1.0);
        let step = (to - from) / steps;
        (0..steps as usize).map(|i| 0.6 * usable * step / power.at(from + (i as f64 + 0.5) * step)).sum()
    }

    #[test]
    fn constant_power_is_energy_over_power() {
        // Calculus: τ = 60·E·Δs/100/P = 60 · 63 · 0.70 / 126 = 21 min.
        let time = ChargingTime::new(&Profile::constant(126.0), Energy::kwh(63.0));
        assert!((time.minutes(soc(10.0), soc(80.0)).get() - 21.0).abs() < 1e-9);
    }

    #[test]
    fn linear_taper_is_a_logarithm() {
        // Calculus: P = P0(1 − s/c) gives τ = 60·(E/P0)·(c/100)·ln((c − a)/(c − d)).
        let (usable, peak, c, a, d) = (74.0, 200.0, 110.0, 12.0, 83.0);
        let taper = Profile::new(vec![(0.0, peak), (100.0, peak * (1.0 - 100.0 / c))]).unwrap();
        let time = ChargingTime::new(&taper, Energy::kwh(usable)).minutes(soc(a), soc(d)).get();
        let closed = 60.0 * usable / peak * c / 100.0 * ((c - a) / (c - d)).ln();
        assert!((time - closed).abs() < 1e-9, "{time} against {closed}");
    }

    #[test]
    fn a_hundred_amps_is_about_a_percent_a_minute() {
        // Common practice, no published source: 100 A on a 60 kWh, 360 V pack gives 1 % per minute.
        let kw = (crate::quantity::Voltage::volts(360.0) * crate::quantity::Current::amps(100.0)).get();
        let time = ChargingTime::new(&Profile::constant(kw), Energy::kwh(60.0));
        assert!((time.minutes(soc(40.0), soc(41.0)).get() - 1.0).abs() < 0.01);
    }

    #[test]
    fn power_of_zero_at_the_top_never_gets_there() {
        let time = ChargingTime::new(&Profile::new(vec![(0.0, 50.0), (100.0, 0.0)]).unwrap(), Energy::kwh(50.0));
        assert!(time.minutes(soc(0.0), soc(100.0)).get().is_infinite());
        assert!(time.minutes(soc(0.0), soc(99.0)).get().is_finite());
        assert!(time.soc_after(soc(0.0), Minutes::new(1e6)).get() <= 100.0);
    }

    prop_compose! {
        fn curve()(mut points in prop::collection::vec((0u32..=100, 2.0f64..300.0), 1..15)) -> Profile {
            points.sort_by_key(|point| point.0);
            Profile::new(points.into_iter().map(|(s, kw)| (f64::from(s), kw)).collect()).unwrap()
        }
    }

    proptest! {
        #[test]
        fn agrees_with_fine_steps(power in curve(), from in 0.0f64..100.0, to in 0.0f64..100.0) {
            let (from, to) = (from.min(to), from.max(to));
            let time = ChargingTime::new(&power, Energy::kwh(70.0)).minutes(soc(from), soc(to)).get();
            let steps = fine_steps(&power, 70.0, from, to);
            prop_assert!((time - steps).abs() < 0.002 * steps + 0.03, "{} against {}", time, steps);
        }

        #[test]
        fn times_add_up(power in curve(), a in 0.0f64..100.0, b in 0.0f64..100.0, c in 0.0f64..100.0) {
            let mut s = [a, b, c];
            s.sort_by(f64::total_cmp);
            let time = ChargingTime::new(&power, Energy::kwh(70.0));
            let whole = time.minutes(soc(s[0]), soc(s[2])).get();
            let parts = time.minutes(soc(s[0]), soc(s[1])).get() + time.minutes(soc(s[1]), soc(s[2])).get();
            prop_assert!((whole - parts).abs() < 1e-9);
        }

        #[test]
        fn soc_after_undoes_minutes(power in curve(), from in 0.0f64..100.0, to in 0.0f64..100.0) {
            let (from, to) = (from.min(to), from.max(to));
            let time = ChargingTime::new(&power, Energy::kwh(70.0));
            let back = time.soc_after(soc(from), time.minutes(soc(from), soc(to))).get();
            prop_assert!((back - to).abs() < 1e-6, "{} against {}", back, to);
        }

        #[test]
        fn sampler_sees_times_and_the_range_of_power(power in curve(), steps in prop::collection::vec(0.01f64..20.0, 1..20)) {
            let time = ChargingTime::new(&power, Energy::kwh(70.0));
            let mut sampler = time.sampler(0.0);
            let mut at = 0.0f64;
            for step in steps {
                let before = at;
                at = (at + step).min(99.9);
                let sample = sampler.advance(at);
                prop_assert!((sample.from_empty - time.minutes_to(at)).abs() < 1e-9);
                let middle = power.at(f64::midpoint(before, at));
                prop_assert!(sample.low_kw <= middle + 1e-9 && middle <= sample.high_kw + 1e-9);
            }
        }
    }
}
