//! What is odd about a session, where, and what that means for its curve. Nothing is repaired here.
//!
//! Each family of findings is a file: what the clock and SoC say ([`clock`]), energies and meters ([`energy`]), limits
//! that are not the car's ([`limits`]), heat and cold ([`thermal`]), how it began and ended ([`ends`]).
//! The thresholds are common practice, no published source; each stands in its file as a named constant.

pub mod across;
mod clock;
mod ends;
mod energy;
mod fact;
mod limits;
mod thermal;

use crate::charging::profile::Profile;
pub use fact::{DipCause, Fact};

use crate::quantity::{Minutes, Soc};
use crate::session::Session;
use crate::session::analysis::Analysis;

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Good to know.
    Note,
    /// Some figures are less sure, or are not the car's.
    Warning,
    /// A reading cannot be used.
    Fault,
}

/// How sure it is what a finding says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Certainty {
    /// Something else may look the same.
    Possible,
    /// Little else looks the same.
    Likely,
    /// The readings themselves say it.
    Certain,
}

impl Certainty {
    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Possible => "possible",
            Self::Likely => "likely",
            Self::Certain => "certain",
        }
    }
}

/// One finding.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// What is odd.
    pub fact: Fact,
    /// Where, in minutes since current began; `None` when it is about the whole session.
    pub at: Option<Minutes>,
    /// The part of the curve that it is about, where it is about a part.
    pub span: Option<(Soc, Soc)>,
}

impl Finding {
    fn new(fact: Fact) -> Self {
        Self { fact, at: None, span: None }
    }

    /// A stable name of what is odd, such as `soc-backwards`.
    pub fn code(&self) -> &'static str {
        self.fact.code()
    }

    /// How much it matters.
    pub fn severity(&self) -> Severity {
        self.fact.severity()
    }

    /// How sure it is.
    pub fn certainty(&self) -> Certainty {
        self.fact.certainty()
    }

    fn at(self, at: Minutes) -> Self {
        Self { at: Some(at), ..self }
    }

    fn over(self, from: f64, to: f64) -> Self {
        Self { span: Some((Soc::percent(from), Soc::percent(to))), ..self }
    }
}

/// All findings of a session, in order of time; those about the whole of it first. `expected` is the power into the
/// battery over SoC, in kW, that other sessions of the car have shown, where there are such.
pub fn findings(session: &Session, analysis: &Analysis, expected: Option<&Profile>) -> Vec<Finding> {
    let evidence = Evidence::new(session, analysis, expected);
    let mut found = clock::findings(&evidence);
    found.extend(energy::findings(&evidence));
    found.extend(limits::findings(&evidence));
    found.extend(thermal::findings(&evidence));
    found.extend(ends::findings(&evidence));
    let minute = |finding: &Finding| finding.at.map_or(-1.0, Minutes::get);
    found.sort_by(|a, b| minute(a).total_cmp(&minute(b)));
    found
}

/// What the families of findings look at.
struct Evidence<'a> {
    session: &'a Session,
    analysis: &'a Analysis,
    expected: Option<&'a Profile>,
    /// The readings that count and show a power, in order of time.
    powers: Vec<Shown>,
}

/// A power that was shown.
#[derive(Clone, Copy)]
struct Shown {
    minute: f64,
    soc: f64,
    kw: f64,
    amps: Option<f64>,
    volts: Option<f64>,
    battery: Option<f64>,
}

impl<'a> Evidence<'a> {
    fn new(session: &'a Session, analysis: &'a Analysis, expected: Option<&'a Profile>) -> Self {
        let shown = |moment: &crate::session::soc_timeline::Moment| {
            let reading = &session.readings[moment.reading];
            Some(Shown {
                minute: moment.minute,
                soc: moment.soc,
                kw: moment.kw?,
                amps: reading.current.map(crate::quantity::Current::get),
                volts: reading.voltage.map(crate::quantity::Voltage::get),
                battery: reading.battery.map(crate::quantity::Temperature::get),
            })
        };
        let powers = analysis.timeline.moments().iter().filter_map(shown).collect();
        Self { session, analysis, expected, powers }
    }

    /// The shown powers without those of the very end, where the current had stopped.
    fn flowing(&self) -> &[Shown] {
        let stopped = ends::stopped_from(&self.powers).unwrap_or(self.powers.len());
        &self.powers[..stopped]
    }

    /// A power at the plug, from one on the session's meter.
    fn at_plug(&self, kw: f64) -> f64 {
        match self.session.conditions.meter {
            crate::session::Meter::Station => kw,
            crate::session::Meter::Car => kw / (1.0 - self.analysis.loss_percent.unwrap_or(0.0) / 100.0),
        }
    }

    /// A power into the battery, from one on the session's meter.
    fn stored_of(&self, kw: f64) -> f64 {
        match self.session.conditions.meter {
            crate::session::Meter::Car => kw,
            crate::session::Meter::Station => {
                kw * (1.0 - self.analysis.loss_percent.unwrap_or(0.0).clamp(0.0, 15.0) / 100.0)
            }
        }
    }

    fn is_ac(&self) -> bool {
        self.session.conditions.phases.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Current, Energy, Power, Temperature, Voltage};
    use crate::session::analysis::Basis;
    use crate::session::distance_base::DistanceBase;
    use crate::session::{Conditions, Reading};

    fn reading(minute: f64, soc: f64, kw: f64, kwh: f64) -> Reading {
        Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            power: Some(Power::kw(kw)),
            energy: Some(Energy::kwh(kwh)),
            ..Reading::default()
        }
    }

    /// A clean charge of 60 kWh at 90 kW from the plug with 10 % loss: 2.25 points a minute.
    fn clean() -> Session {
        let readings = (0..=30).map(f64::from).map(|m| reading(m, 10.0 + 2.25 * m, 100.0, 100.0 * m / 60.0)).collect();
        Session { readings, ..Session::default() }
    }

    fn codes(session: &Session) -> Vec<&'static str> {
        let basis = Basis { usable: Energy::kwh(66.6), range: None, base: DistanceBase::Rated, loss_percent: None };
        let analysis = Analysis::new(session, basis).unwrap();
        findings(session, &analysis, None).into_iter().map(|finding| finding.code()).collect()
    }

    #[test]
    fn a_clean_charge_has_none() {
        assert!(codes(&clean()).is_empty());
    }

    #[test]
    fn each_fault_is_found_by_its_name() {
        let changed = |change: &dyn Fn(&mut Session)| {
            let mut session = clean();
            change(&mut session);
            codes(&session)
        };
        assert_eq!(changed(&|s| s.readings[5].elapsed = Minutes::new(1.0)), ["clock-backwards"]);
        assert_eq!(changed(&|s| s.readings[5].soc = Some(Soc::percent(12.0))), ["soc-backwards"]);
        assert_eq!(changed(&|s| s.readings.insert(5, s.readings[4].clone())), ["duplicate"]);
        assert_eq!(changed(&|s| drop(s.readings.drain(5..14))), ["gap"]);
        let half_power = |s: &mut Session| s.readings.iter_mut().for_each(|r| r.power = Some(Power::kw(50.0)));
        assert_eq!(changed(&half_power), ["energy-against-power"]);
        let site = Conditions { site_power: Some(Power::kw(100.0)), ..Conditions::default() };
        assert_eq!(changed(&|s| s.conditions = site.clone()), ["charger-limited"]);
        assert_eq!(changed(&|s| s.readings.truncate(2)), ["too-few-readings"]);
        let dear = |s: &mut Session| {
            s.readings.iter_mut().for_each(|r| {
                r.energy = r.energy.map(|e| e * 2.0);
                r.power = r.power.map(|p| p * 2.0);
            });
        };
        assert_eq!(changed(&dear), ["energy-against-soc"]);
        assert_eq!(
            changed(&|s| s
                .readings
                .insert(0, Reading { elapsed: Minutes::new(-4.0), ..reading(0.0, 0.0, 100.0, -6.6) })),
            ["gap", "start-at-zero"]
        );
    }

    /// A charge of 60 kWh that starts at 10 % and takes `kw(minute, soc)` at the plug, 10 % of it lost, whole percents
    /// and kW, a reading every half minute until `end`.
    fn played(end: f64, kw: impl Fn(f64, f64) -> f64) -> Session {
        let (mut soc, mut readings) = (10.0, Vec::new());
        for second in 0..7200 {
            let minute = f64::from(second) / 60.0;
            let power = kw(minute, soc);
            if second % 30 == 0 {
                readings.push(Reading { energy: None, ..reading(minute, soc.floor(), power.round(), 0.0) });
            }
            if soc >= end {
                break;
            }
            soc += 100.0 * 0.9 * power / 3600.0 / 60.0;
        }
        Session { readings, ..Session::default() }
    }

    fn taper(soc: f64) -> f64 {
        150.0 - 1.2 * soc
    }

    fn codes_at(mut session: Session, conditions: Conditions) -> Vec<&'static str> {
        session.conditions = conditions;
        let basis =
            Basis { usable: Energy::kwh(60.0), range: None, base: DistanceBase::Rated, loss_percent: Some(10.0) };
        let analysis = Analysis::new(&session, basis).unwrap();
        findings(&session, &analysis, None).into_iter().map(|finding| finding.code()).collect()
    }

    fn at_site(kw: f64) -> Conditions {
        Conditions { site_power: Some(Power::kw(kw)), ..Conditions::default() }
    }

    #[test]
    fn a_falling_curve_with_a_step_has_no_finding() {
        let stepped = |soc: f64| if soc < 46.0 { taper(soc) } else { 0.86 * taper(soc) };
        assert!(codes_at(played(85.0, |_, soc| stepped(soc)), at_site(300.0)).is_empty());
    }

    #[test]
    fn a_boost_that_runs_out_is_told_from_a_step() {
        // Common practice, no published source: full current for 10 min, then 400 of 500 A.
        let boosted = |minute: f64, soc: f64| (if minute < 10.0 { 0.50 } else { 0.40 }) * (341.0 + 0.12 * soc);
        assert_eq!(codes_at(played(80.0, boosted), at_site(300.0)), ["boost-over"]);
    }

    #[test]
    fn dips_tell_their_cause_by_temperature() {
        let dip = |minute: f64, soc: f64| if (12.0..15.0).contains(&minute) { 70.0 } else { taper(soc) };
        let mut session = played(80.0, dip);
        assert_eq!(codes_at(session.clone(), at_site(300.0)), ["dip"]);
        session.readings.iter_mut().for_each(|reading| reading.battery = Some(Temperature::celsius(47.0)));
        assert_eq!(codes_at(session, at_site(300.0)), ["thermal-dip"]);
        let stopped = |minute: f64, soc: f64| if (12.0..15.0).contains(&minute) { 0.0 } else { taper(soc) };
        assert_eq!(codes_at(played(80.0, stopped), at_site(300.0)), ["interrupted"]);
        let mut hot = played(80.0, |minute, soc| if minute < 12.0 { taper(soc) } else { 0.6 * taper(soc) });
        hot.readings.iter_mut().for_each(|reading| reading.battery = Some(Temperature::celsius(49.0)));
        assert_eq!(codes_at(hot, at_site(300.0)), ["thermal-dip"]);
    }

    #[test]
    fn limits_of_the_site_and_derated_stalls() {
        let limited = played(80.0, |_, soc| taper(soc).min(100.0));
        assert_eq!(codes_at(limited, at_site(100.0)), ["charger-limited"]);
        // Common practice, no published source: a stall that gives 35 kW on a site of 150.
        assert_eq!(codes_at(played(60.0, |_, _| 35.0), at_site(150.0)), ["derated-stall"]);
        let amps = |session: &mut Session| {
            for reading in &mut session.readings {
                reading.voltage = Some(Voltage::volts(341.0 + 0.12 * reading.soc.unwrap_or_default().get()));
                reading.current = Some(Current::amps(300.0));
            }
        };
        let mut constant = played(60.0, |_, soc| 0.3 * (341.0 + 0.12 * soc));
        amps(&mut constant);
        assert_eq!(codes_at(constant.clone(), at_site(300.0)), ["constant-current"]);
        let cable = Conditions { site_current: Some(Current::amps(300.0)), ..at_site(300.0) };
        assert_eq!(codes_at(constant, cable), ["charger-limited"]);
    }

    #[test]
    fn ends_and_conditions_are_named() {
        let cold = Conditions { battery: Some(Temperature::celsius(4.0)), ..at_site(300.0) };
        assert_eq!(codes_at(played(80.0, |_, soc| taper(soc)), cold), ["cold-battery"]);
        let mut ended = played(80.0, |_, soc| taper(soc));
        let last = ended.readings.last().unwrap().clone();
        ended.readings.push(Reading {
            elapsed: last.elapsed + Minutes::new(0.2),
            power: Some(Power::kw(0.0)),
            ..last.clone()
        });
        assert_eq!(codes_at(ended, at_site(300.0)), ["ended-by-limit"]);
        let crawl = played(99.99, |_, soc| if soc < 97.0 { taper(soc) } else { 3.0 });
        assert_eq!(codes_at(crawl, at_site(300.0)), ["balancing"]);
        let failed = Conditions { failed_attempts: Some(2), ..at_site(300.0) };
        assert_eq!(codes_at(played(80.0, |_, soc| taper(soc)), failed), ["failed-attempts"]);
        let mut out = played(80.0, |_, soc| taper(soc));
        out.readings[7].left_out = Some("misread".into());
        assert_eq!(codes_at(out, at_site(300.0)), ["left-out"]);
        // Common practice, no published source: a one-phase car takes a third of a 22 kW post.
        let ac = Conditions { phases: Some(1), ..at_site(22.0) };
        assert_eq!(codes_at(played(20.0, |_, _| 7.4), ac), ["one-phase"]);
    }

    #[test]
    fn soc_that_runs_behind_the_counter_is_noticed() {
        let lagging = |lag: f64| {
            let mut session = played(60.0, |_, _| 90.0);
            for reading in &mut session.readings {
                let minute = reading.elapsed.get();
                reading.energy = Some(Energy::kwh(1.5 * minute));
                reading.soc = Some(Soc::percent((10.4 + 2.25 * minute - lag).max(10.0).floor()));
            }
            session
        };
        assert!(codes_at(lagging(0.0), at_site(300.0)).is_empty());
        assert_eq!(codes_at(lagging(2.0), at_site(300.0)), ["soc-lags"]);
    }
}
