//! From the readings of a session to a charge curve: power into the battery over SoC.
//!
//! The clock is good, SoC is cut to whole percents, power is noisy and on whichever side of the loss its meter sits.
//! So the shown powers give the curve its shape and the clock gives it its height: for each stretch of a few percent it
//! is found by how much the shape has to be scaled until its charging time is what the clock measured. Where readings are
//! dense these scales are smoothed over their neighbours (losses change slowly; locally weighted lines, Cleveland 1979,
//! J. Am. Stat. Assoc. 74) and the whole is scaled to the clock, so a curve of smooth readings is smooth; where they are
//! sparse each stretch keeps its own. Every reading's power stays a point of the curve, so steps stay steps. What is left
//! over, between single readings, is the residual.
//!
//! A person reads when a number appears; a logger reads by time, and finds each new percent a little late. Where there is
//! a reading for every percent, stretches are made wide enough that this delay is no more than 3 % of their minutes.

use crate::charging::charging_time::ChargingTime;
use crate::charging::profile::Profile;
use crate::quantity::{Energy, Minutes, Power, Soc};
use crate::session::Session;
use crate::session::soc_timeline::{Moment, SocTimeline, TooFewReadings};

/// Least width of a stretch, %.
const STRETCH: f64 = 4.0;
/// Widest that a logger's delay makes it, %.
const WIDEST_STRETCH: f64 = 16.0;
/// A logger's delay at the end of a stretch, as a share of its minutes, is at most this.
const DELAY_SHARE: f64 = 0.03;
/// Readings nearer than this to the last one kept are left out of the curve unless the power steps, %.
const SPACING: f64 = 0.5;
/// A change of power of at least this share is a step.
const CLIFF: f64 = 0.10;
/// Points for each first reading of a SoC up to which readings are dense.
const DENSE: f64 = 4.0;
/// Fewest stretches whose scales can be smoothed.
const FEWEST_STRETCHES: usize = 4;
/// How far around a SoC the scales of stretches are smoothed over, points: first widely, then what is left.
const SMOOTHED_OVER: [f64; 2] = [22.0, 10.0];
/// How strongly the line through the scales is held level, points.
const LEVEL: f64 = 3.0;
/// Share of usable capacity per hour that a curve is assumed to fall to at 100 % where nothing was measured, 1/h.
const ASSUMED_TOP_C_RATE: f64 = 0.05;

/// A curve fitted to a session.
#[derive(Clone, Debug)]
pub struct FittedCurve {
    /// Power into the battery over SoC, kW.
    pub power: Profile,
    /// The SoC range that was measured; outside it the curve is assumed.
    pub measured: (Soc, Soc),
    /// Root mean square difference between the curve's minutes and the clock, from one first reading of a SoC to the next.
    pub residual: Minutes,
    /// The largest such difference.
    pub worst_residual: Minutes,
}

impl FittedCurve {
    /// The curve of a session of a battery of `usable` capacity.
    ///
    /// Below the measured range the first power is assumed; above it a straight fall to 0.05 C at 100 %.
    ///
    /// # Errors
    /// When there are fewer than two readings with rising SoC.
    pub fn new(session: &Session, usable: Energy) -> Result<Self, TooFewReadings> {
        Ok(Self::of(&SocTimeline::new(session)?, usable))
    }

    /// The same, of a timeline that is known.
    pub(crate) fn of(timeline: &SocTimeline, usable: Energy) -> Self {
        Self::of_stretches(timeline, usable, stretch_width(timeline))
    }

    /// The curve of a timeline cut into stretches of a least width in %.
    pub(crate) fn of_stretches(timeline: &SocTimeline, usable: Energy, width: f64) -> Self {
        let scaled = |moments: &[Moment]| -> Vec<ScaledStretch> {
            stretches(moments, width).into_iter().map(|stretch| ScaledStretch::new(stretch, usable)).collect()
        };
        let as_shown = scaled(timeline.moments());
        let mut points: Vec<(f64, f64)> = if is_dense(timeline, &as_shown) {
            let mut moments = timeline.moments().to_vec();
            // The first reading shows less than there was; taken at its word, the curve would begin with a spike.
            moments[0].soc = timeline.likely_start().min(moments[1].soc);
            scaled_to_the_clock(timeline, usable, &scaled(&moments))
        } else {
            as_shown.iter().flat_map(ScaledStretch::points).collect()
        };
        let measured = (timeline.start_soc(), timeline.end_soc());
        if measured.1.get() < 100.0 {
            let last = points.last().map_or(0.0, |point| point.1);
            points.push((100.0, last.min(Self::assumed_top(usable))));
        }
        let power = Profile::new(points).unwrap_or_else(|_| Profile::constant(1.0));
        let (residual, worst_residual) = residuals(timeline, &ChargingTime::new(&power, usable));
        Self { power, measured, residual, worst_residual }
    }

    /// Power in kW that a curve is assumed to fall to at 100 % where nothing was measured.
    pub(crate) fn assumed_top(usable: Energy) -> f64 {
        ASSUMED_TOP_C_RATE * usable.get()
    }

    /// The highest power of the curve.
    pub fn peak(&self) -> Power {
        Power::kw(self.power.points().iter().map(|point| point.1).fold(0.0, f64::max))
    }
}

/// The least width of a stretch for what a logger's readings by time leave open, %.
pub(crate) fn stretch_width(timeline: &SocTimeline) -> f64 {
    let moments = timeline.moments();
    let points = (timeline.end_soc() - timeline.start_soc()).get();
    let all_shown = moments.iter().all(|moment| moment.kw.is_some());
    if (moments.len() as f64) < points || !all_shown {
        return STRETCH;
    }
    let typical_gain = points / (moments.len() - 1) as f64;
    (typical_gain.min(timeline.resolution()) / DELAY_SHARE).clamp(STRETCH, WIDEST_STRETCH)
}

/// Cuts the readings into stretches of a least width that begin and end with a first reading of a SoC.
fn stretches(moments: &[Moment], width: f64) -> Vec<&[Moment]> {
    let anchors: Vec<usize> = (0..moments.len()).filter(|&index| moments[index].anchor).collect();
    let last = anchors[anchors.len() - 1];
    let mut stretches = Vec::new();
    let mut start = 0;
    for &anchor in &anchors[1..] {
        let wide = moments[anchor].soc - moments[start].soc >= width;
        let rest = moments[last].soc - moments[anchor].soc;
        if anchor == last || (wide && rest >= width) {
            stretches.push(&moments[start..=anchor]);
            start = anchor;
        }
    }
    stretches
}

/// A stretch's shape, and by how much it has to be scaled until its minutes are the clock's.
struct ScaledStretch {
    shape: Vec<(f64, f64)>,
    factor: f64,
    /// What the clock says it took.
    minutes: f64,
}

impl ScaledStretch {
    fn new(stretch: &[Moment], usable: Energy) -> Self {
        let (first, last) = (&stretch[0], &stretch[stretch.len() - 1]);
        let minutes = last.minute - first.minute;
        let average = 0.6 * usable.get() * (last.soc - first.soc) / minutes;
        let shape = shape(stretch, average);
        match Profile::new(shape.clone()) {
            Ok(profile) => {
                let time = ChargingTime::new(&profile, usable);
                let by_shape = time.minutes(Soc::percent(first.soc), Soc::percent(last.soc));
                Self { shape, factor: by_shape.get() / minutes, minutes }
            }
            Err(_) => Self { shape: vec![(first.soc, average), (last.soc, average)], factor: 1.0, minutes },
        }
    }

    fn points(&self) -> impl Iterator<Item = (f64, f64)> {
        self.shape.iter().map(|&(soc, kw)| (soc, kw * self.factor))
    }

    fn span(&self) -> (f64, f64) {
        (self.shape[0].0, self.shape[self.shape.len() - 1].0)
    }

    fn middle(&self) -> f64 {
        f64::midpoint(self.span().0, self.span().1)
    }
}

/// Whether readings are so dense that scales can be smoothed.
fn is_dense(timeline: &SocTimeline, scaled: &[ScaledStretch]) -> bool {
    let moments = timeline.moments();
    let shown = moments.iter().filter(|moment| moment.kw.is_some_and(|kw| kw > 0.0)).count();
    let points = (timeline.end_soc() - timeline.start_soc()).get();
    let dense = 10 * shown >= 8 * moments.len() && points <= DENSE * (timeline.anchors().count() as f64);
    dense && scaled.len() >= FEWEST_STRETCHES && scaled.iter().all(|stretch| stretch.factor > 0.0)
}

/// The value at a place of the line through the points around it, the nearer the heavier.
fn local_line(points: &[(f64, f64)], at: f64, reach: f64) -> f64 {
    let (mut w, mut wx, mut wy, mut wxx, mut wxy) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for &(x, y) in points {
        let far = ((x - at) / reach).abs();
        let weight = if far < 1.0 { (1.0 - far.powi(3)).powi(3) } else { 0.0 } + 1e-6;
        let x = (x - at).clamp(-reach, reach);
        w += weight;
        wx += weight * x;
        wy += weight * y;
        wxx += weight * x * x;
        wxy += weight * x * y;
    }
    // Held towards level by as much as a few points' spread, so that an end is not led astray by one stretch.
    let (mean, spread) = (wy / w, wxx - wx * wx / w + w * LEVEL * LEVEL);
    mean - (wxy - wx * wy / w) / spread * (wx / w)
}

/// The shapes of all stretches, smoothly scaled: first widely, then more narrowly for what the clock still says otherwise; the
/// whole as fast as the clock says.
fn scaled_to_the_clock(timeline: &SocTimeline, usable: Energy, scaled: &[ScaledStretch]) -> Vec<(f64, f64)> {
    let mut points: Vec<(f64, f64)> = scaled.iter().flat_map(|stretch| stretch.shape.clone()).collect();
    for reach in SMOOTHED_OVER {
        let Ok(profile) = Profile::new(points.clone()) else { return points };
        let time = ChargingTime::new(&profile, usable);
        let off = |stretch: &ScaledStretch| {
            let (from, to) = stretch.span();
            let by_points = time.minutes(Soc::percent(from), Soc::percent(to)).get();
            (stretch.middle(), (by_points / stretch.minutes).ln())
        };
        let off: Vec<(f64, f64)> = scaled.iter().map(off).collect();
        for point in &mut points {
            point.1 *= local_line(&off, point.0, reach).exp();
        }
    }
    let last = points[points.len() - 1].0;
    let Ok(profile) = Profile::new(points.clone()) else { return points };
    let time = ChargingTime::new(&profile, usable).minutes(timeline.start_soc(), Soc::percent(last));
    let until = timeline.anchors().last().map_or(timeline.end().get(), |anchor| anchor.minute);
    let factor = time.get() / (until - timeline.start().get());
    points.into_iter().map(|(soc, kw)| (soc, kw * factor)).collect()
}

/// The shown powers of a stretch over SoC, thinned where nothing happens. Powers that are missing, or so low that the
/// current was only starting or stopping, are taken as the average.
fn shape(stretch: &[Moment], average: f64) -> Vec<(f64, f64)> {
    let shown = stretch.iter().filter_map(|moment| moment.kw);
    let typical = shown.clone().sum::<f64>() / shown.count().max(1) as f64;
    let all_shown = stretch.iter().all(|moment| moment.kw.is_some()) && typical > 0.0;
    let kw = |moment: &Moment| match moment.kw {
        Some(kw) if all_shown => {
            if kw > 0.2 * typical {
                kw
            } else {
                typical
            }
        }
        _ => average,
    };
    let mut points: Vec<(f64, f64)> = Vec::new();
    for (index, moment) in stretch.iter().enumerate() {
        let (soc, kw) = (moment.soc, kw(moment));
        let edge = index == 0 || index + 1 == stretch.len();
        let keep = points.last().is_none_or(|&(before, power)| {
            soc - before >= SPACING || (soc > before && (kw / power - 1.0).abs() >= CLIFF)
        });
        if keep || edge {
            points.push((soc, kw));
        }
    }
    points
}

/// Root mean square and worst difference between a curve's minutes and the clock, between anchors.
fn residuals(timeline: &SocTimeline, time: &ChargingTime) -> (Minutes, Minutes) {
    let anchors: Vec<&Moment> = timeline.anchors().collect();
    let differences = anchors.windows(2).map(|pair| {
        let fitted = time.minutes(Soc::percent(pair[0].soc), Soc::percent(pair[1].soc)).get();
        (fitted - (pair[1].minute - pair[0].minute)).abs()
    });
    let (mut squares, mut worst, mut count) = (0.0, 0.0_f64, 0.0_f64);
    for difference in differences {
        squares += difference * difference;
        worst = worst.max(difference);
        count += 1.0;
    }
    (Minutes::new((squares / count.max(1.0)).sqrt()), Minutes::new(worst))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::Reading;
    use proptest::prelude::*;

    /// What a car with a known curve would show: whole percents, whole kW at the plug (9 % loss), whole seconds.
    fn measured(power: &Profile, usable: f64, start: f64, end: f64, every_s: f64) -> Session {
        let time = ChargingTime::new(power, Energy::kwh(usable));
        let whole = time.minutes(Soc::percent(start), Soc::percent(end)).get();
        let count = (whole * 60.0 / every_s).ceil() as usize;
        let reading = |index: usize| {
            let minute = (index as f64 * every_s / 60.0).min((whole * 60.0).round() / 60.0);
            let soc = time.soc_after(Soc::percent(start), Minutes::new(minute)).get();
            Reading {
                elapsed: Minutes::new(minute),
                soc: Some(Soc::percent(soc.floor())),
                power: Some(Power::kw((power.at(soc) / 0.91).round())),
                ..Reading::default()
            }
        };
        Session { readings: (0..=count).map(reading).collect(), ..Session::default() }
    }

    fn curve() -> Profile {
        Profile::new(vec![(0.0, 90.0), (8.0, 170.0), (45.0, 150.0), (45.0, 110.0), (80.0, 60.0), (100.0, 5.0)]).unwrap()
    }

    #[test]
    fn windows_of_a_known_curve_come_back() {
        let (power, usable) = (curve(), Energy::kwh(74.0));
        let fitted = FittedCurve::new(&measured(&power, 74.0, 5.0, 95.0, 10.0), usable).unwrap();
        let (truth, found) = (ChargingTime::new(&power, usable), ChargingTime::new(&fitted.power, usable));
        for (from, to) in [(10.0, 80.0), (20.0, 50.0), (30.0, 60.0), (50.0, 90.0), (10.0, 40.0)] {
            let minutes = |time: &ChargingTime| time.minutes(Soc::percent(from), Soc::percent(to)).get();
            let (truth, found) = (minutes(&truth), minutes(&found));
            assert!((found / truth - 1.0).abs() < 0.03, "{from}–{to}: {found} for {truth}");
        }
    }

    #[test]
    fn smooth_readings_make_a_smooth_curve() {
        // Dots that fall evenly from 184 to 85 kW, read every 10 or 30 s, at the plug with 9 % lost: within 5 % of them.
        let power = Profile::new(vec![(0.0, 184.0), (20.0, 182.0), (80.0, 85.0), (100.0, 40.0)]).unwrap();
        for every in [10.0, 30.0] {
            let session = measured(&power, 74.0, 8.0, 82.0, every);
            let fitted = FittedCurve::new(&session, Energy::kwh(74.0)).unwrap();
            for soc in (9..=80).map(f64::from) {
                let (line, dot) = (fitted.power.at(soc), power.at(soc));
                assert!((line / dot - 1.0).abs() < 0.05, "{every} s, {soc} %: {line} for {dot}");
                // No saw: from one percent to the next it falls, or rises by no more than what whole kilowatts hide.
                assert!(fitted.power.at(soc + 1.0) < 1.02 * line, "{every} s, {soc} %");
            }
        }
    }

    #[test]
    fn a_cliff_stays_a_cliff() {
        let fitted = FittedCurve::new(&measured(&curve(), 74.0, 5.0, 95.0, 5.0), Energy::kwh(74.0)).unwrap();
        assert!(fitted.power.at(43.5) > 140.0 && fitted.power.at(46.5) < 120.0, "{:?}", fitted.power);
    }

    #[test]
    fn sparse_readings_give_back_the_clock() {
        let rows =
            [(0.0, 10.0, 120.0), (3.1, 20.0, 150.0), (6.0, 30.0, 150.0), (12.5, 50.0, 110.0), (27.0, 80.0, 60.0)];
        let reading = |&(minute, soc, kw): &(f64, f64, f64)| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: Some(Power::kw(kw)),
            ..Reading::default()
        };
        let session = Session { readings: rows.iter().map(reading).collect(), ..Session::default() };
        let fitted = FittedCurve::new(&session, Energy::kwh(75.0)).unwrap();
        assert!(fitted.worst_residual.get() < 1e-9, "{}", fitted.worst_residual);
        assert_eq!(fitted.measured, (Soc::percent(10.0), Soc::percent(80.0)));
        assert!(fitted.power.at(100.0) <= 0.05 * 75.0);
    }

    proptest! {
        #[test]
        fn whole_session_takes_what_the_clock_said(
            steps in prop::collection::vec((0.2f64..5.0, 0u8..9, prop::option::of(0.0f64..250.0)), 2..40),
        ) {
            let (mut minute, mut soc) = (0.0, 3.0);
            let readings = steps.iter().map(|&(dt, ds, kw)| {
                minute += dt;
                soc = (soc + f64::from(ds)).min(100.0);
                Reading { elapsed: Minutes::new(minute), soc: Some(Soc::percent(soc)), power: kw.map(Power::kw), ..Reading::default() }
            }).collect();
            let session = Session { readings, ..Session::default() };
            if let Ok(fitted) = FittedCurve::new(&session, Energy::kwh(60.0)) {
                let timeline = SocTimeline::new(&session).unwrap();
                let clock = timeline.anchors().last().unwrap().minute - timeline.start().get();
                let time = ChargingTime::new(&fitted.power, Energy::kwh(60.0)).minutes(fitted.measured.0, fitted.measured.1);
                prop_assert!((time.get() - clock).abs() < 1e-6 * clock.max(1.0), "{} for {}", time, clock);
            }
        }
    }
}
