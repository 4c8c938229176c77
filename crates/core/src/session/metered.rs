//! Energy by a session's meter: its counter where it covers the session, else its power times time.

use crate::quantity::{Energy, Minutes};
use crate::session::progress::counter_stops_at;
use crate::session::soc_timeline::{Moment, SocTimeline};

/// Energy by the meter since the first reading, at every reading: its counter, else its power times time.
#[derive(Clone, Debug)]
pub(crate) struct Metered {
    minutes: Vec<f64>,
    kwh: Vec<f64>,
}

impl Metered {
    pub(crate) fn new(timeline: &SocTimeline) -> Option<Self> {
        let moments = timeline.moments();
        let stops = counter_stops_at(&timeline.kept().kept);
        let until = stops.unwrap_or(moments.len() - 1);
        // The counter stands at 0 when current begins, whether or not somebody wrote that down.
        let begun = |moment: &Moment| (moment.minute <= 0.0).then_some(0.0);
        let counted = moments[..=until].iter();
        let counted: Vec<_> =
            counted.filter_map(|moment| Some((moment.minute, moment.kwh.or_else(|| begun(moment))?))).collect();
        let covers = |minutes: &[(f64, f64)], end: f64| {
            minutes.len() >= 2
                && minutes[0].0 <= timeline.start().get() + 1e-9
                && minutes[minutes.len() - 1].0 >= end - 1e-9
        };
        if covers(&counted, moments[until].minute) {
            let (minutes, kwh): (Vec<f64>, Vec<f64>) = counted.into_iter().unzip();
            let metered = Self { minutes, kwh };
            return Some(if stops.is_some() {
                metered.then_as_power_or_soc(&moments[until..], moments[0].soc)
            } else {
                metered
            });
        }
        let powers: Vec<_> = moments.iter().filter_map(|moment| Some((moment.minute, moment.kw?))).collect();
        covers(&powers, timeline.end().get()).then(|| Self::integrated(&powers))
    }

    /// After the counter stopped: power times time where every reading shows power, else as many kWh for a point as before.
    fn then_as_power_or_soc(mut self, rest: &[Moment], first_soc: f64) -> Self {
        let stopped = self.kwh[self.kwh.len() - 1];
        let powers: Option<Vec<(f64, f64)>> = rest.iter().map(|moment| Some((moment.minute, moment.kw?))).collect();
        let a_point = (stopped - self.kwh[0]) / (rest[0].soc - first_soc).max(1e-9);
        let by_soc = || rest.iter().map(|moment| a_point * (moment.soc - rest[0].soc)).collect();
        let more: Vec<f64> = powers.map_or_else(by_soc, |powers| Self::integrated(&powers).kwh);
        self.minutes.extend(rest.iter().skip(1).map(|moment| moment.minute));
        self.kwh.extend(more.iter().skip(1).map(|more| stopped + more));
        self
    }

    /// Power times time, by trapezoids.
    fn integrated(powers: &[(f64, f64)]) -> Self {
        let mut kwh = vec![0.0];
        for pair in powers.windows(2) {
            let step = f64::midpoint(pair[0].1, pair[1].1) * (pair[1].0 - pair[0].0) / 60.0;
            kwh.push(kwh[kwh.len() - 1] + step);
        }
        Self { minutes: powers.iter().map(|power| power.0).collect(), kwh }
    }

    /// Energy between two minutes; within a stretch it goes with SoC.
    pub(crate) fn between(&self, timeline: &SocTimeline, minutes: (Minutes, Minutes)) -> Energy {
        Energy::kwh(self.at(timeline, minutes.1.get()) - self.at(timeline, minutes.0.get()))
    }

    fn at(&self, timeline: &SocTimeline, minute: f64) -> f64 {
        let after = self.minutes.partition_point(|&m| m <= minute);
        let (Some(before), true) = (after.checked_sub(1), after < self.minutes.len()) else {
            return self.kwh[after.min(self.kwh.len() - 1)];
        };
        let soc = |m: f64| timeline.soc_at(Minutes::new(m)).get();
        let (t0, t1) = (self.minutes[before], self.minutes[after]);
        let (s0, s1) = (soc(t0), soc(t1));
        let share = if s1 > s0 { (soc(minute) - s0) / (s1 - s0) } else { (minute - t0) / (t1 - t0) };
        self.kwh[before] + share * (self.kwh[after] - self.kwh[before])
    }
}
