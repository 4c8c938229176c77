//! What several charges of one car tell together: the same step or dip at the same SoC is the car's; at the same minute,
//! from different starts, a boost that ran out; in one charge alone it is neither.

use serde::Serialize;

use super::{Fact, Finding};
use crate::charging::curve_family::Member;
use crate::quantity::{Minutes, Power, Soc};
use crate::session::soc_timeline::Moment;

/// A fall between neighbouring readings that is worth looking for in other charges, share of the power before.
const STEP: f64 = 0.05;
/// How near to each other in SoC two steps are one, points.
const SAME_SOC: f64 = 2.0;
/// How near to each other in time two steps are one, minutes.
const SAME_MINUTE: f64 = 0.75;
/// How far apart in SoC steps at one minute have to be, so that they are not one step of the curve, points.
const OTHER_SOC: f64 = 5.0;
/// Minutes after which boosts run out, from the start of the current.
const BOOST_MINUTES: std::ops::RangeInclusive<f64> = 3.0..=25.0;
/// Within how much time a step happens, minutes.
const SUDDEN: f64 = 1.1;
/// A fall is a step where it is at least this many times as steep as the curve on either side.
const STEEPER: f64 = 3.0;

/// What charges agree on.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "what")]
pub enum Agreed {
    /// A step of the car's curve, at this SoC in each of the charges.
    CurveStep {
        /// Where.
        soc: Soc,
        /// Power before and after, in the first of them.
        from: Power,
        /// Power after.
        to: Power,
        /// The charges.
        charges: Vec<String>,
    },
    /// A dip that the car shows at this SoC in each of the charges.
    Dip {
        /// Where.
        soc: Soc,
        /// The charges.
        charges: Vec<String>,
    },
    /// A boost that runs out at this minute in each of the charges.
    Boost {
        /// When, since current began.
        lasts: Minutes,
        /// The highest start that still had it.
        highest_start: Soc,
        /// Power before and after, in the first of them.
        from: Power,
        /// Power after.
        to: Power,
        /// The charges.
        charges: Vec<String>,
    },
}

/// A step of one charge.
struct Seen<'a> {
    name: &'a str,
    minute: f64,
    soc: f64,
    start: f64,
    from: f64,
    to: f64,
}

/// What the charges of a car agree on. AC charges do not count.
pub fn agreed(members: &[Member]) -> Vec<Agreed> {
    let dc: Vec<&Member> = members.iter().filter(|member| member.session.conditions.phases.is_none()).collect();
    let steps: Vec<Seen> = dc.iter().flat_map(|member| steps(member)).collect();
    let mut found = boosts(&steps);
    let of_boosts: Vec<f64> = found
        .iter()
        .filter_map(|agreed| match agreed {
            Agreed::Boost { lasts, .. } => Some(lasts.get()),
            _ => None,
        })
        .collect();
    let rest: Vec<Seen> =
        steps.into_iter().filter(|step| !of_boosts.iter().any(|at| (step.minute - at).abs() <= SAME_MINUTE)).collect();
    found.extend(groups(&rest, |a, b| (a.soc - b.soc).abs() <= SAME_SOC).into_iter().map(|group| Agreed::CurveStep {
        soc: Soc::percent(mean(&group, |step| step.soc)),
        from: Power::kw(group[0].from),
        to: Power::kw(group[0].to),
        charges: names(&group),
    }));
    let dips: Vec<Seen> = dc.iter().flat_map(|member| dips(member)).collect();
    found.extend(
        groups(&dips, |a, b| (a.soc - b.soc).abs() <= 2.0 * SAME_SOC)
            .into_iter()
            .map(|group| Agreed::Dip { soc: Soc::percent(mean(&group, |dip| dip.soc)), charges: names(&group) }),
    );
    found
}

impl Agreed {
    /// The charges that agree.
    pub fn charges(&self) -> &[String] {
        match self {
            Self::CurveStep { charges, .. } | Self::Dip { charges, .. } | Self::Boost { charges, .. } => charges,
        }
    }
}

/// What several charges agree on that decides a finding of one of them: a step of its power is the curve's or a boost's end,
/// a dip is the car's.
pub fn decided_by<'a>(finding: &Finding, agreed: &'a [Agreed]) -> Option<&'a Agreed> {
    let near = |soc: Soc, points: f64| {
        finding.span.is_some_and(|(from, to)| soc.get() >= from.get() - points && soc.get() <= to.get() + points)
    };
    let decides = |one: &&Agreed| match (&finding.fact, one) {
        (Fact::BoostOver { .. }, Agreed::Boost { lasts, .. }) => {
            finding.at.is_some_and(|at| (at - *lasts).get().abs() <= 2.0 * SAME_MINUTE)
        }
        (Fact::BoostOver { .. }, Agreed::CurveStep { soc, .. }) => near(*soc, SAME_SOC),
        (Fact::Dip { .. }, Agreed::Dip { soc, .. }) => near(*soc, 2.0 * SAME_SOC),
        _ => false,
    };
    agreed.iter().find(decides)
}

/// Steps at one minute from different levels.
fn boosts(steps: &[Seen]) -> Vec<Agreed> {
    let early: Vec<&Seen> = steps.iter().filter(|step| BOOST_MINUTES.contains(&step.minute)).collect();
    let mut found: Vec<Agreed> = Vec::new();
    for (index, first) in early.iter().enumerate() {
        let same: Vec<&Seen> =
            early[index..].iter().copied().filter(|step| (step.minute - first.minute).abs() <= SAME_MINUTE).collect();
        let socs = || same.iter().map(|step| step.soc);
        let apart = socs().fold(0.0, f64::max) - socs().fold(f64::INFINITY, f64::min);
        let charges = names(&same);
        let lasts = mean(&same, |step| step.minute);
        let known = found
            .iter()
            .any(|agreed| matches!(agreed, Agreed::Boost { lasts: at, .. } if (at.get() - lasts).abs() <= 1.0));
        if charges.len() >= 2 && apart >= OTHER_SOC && !known {
            found.push(Agreed::Boost {
                lasts: Minutes::new(lasts),
                highest_start: Soc::percent(same.iter().map(|step| step.start).fold(0.0, f64::max)),
                from: Power::kw(first.from),
                to: Power::kw(first.to),
                charges,
            });
        }
    }
    found
}

/// Steps of several charges that are one.
fn groups<'a, 's>(seen: &'s [Seen<'a>], same: impl Fn(&Seen, &Seen) -> bool) -> Vec<Vec<&'s Seen<'a>>> {
    let mut groups: Vec<Vec<&Seen>> = Vec::new();
    for one in seen {
        match groups.iter_mut().find(|group| same(group[0], one)) {
            Some(group) => group.push(one),
            None => groups.push(vec![one]),
        }
    }
    groups.retain(|group| names(group).len() >= 2);
    groups
}

fn mean(seen: &[&Seen], of: impl Fn(&Seen) -> f64) -> f64 {
    seen.iter().map(|one| of(one)).sum::<f64>() / seen.len() as f64
}

fn names(seen: &[&Seen]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for one in seen {
        if !names.iter().any(|name| name == one.name) {
            names.push(one.name.to_string());
        }
    }
    names
}

/// Sudden falls of the power of one charge that do not go on and do not come back.
fn steps<'a>(member: &Member<'a>) -> Vec<Seen<'a>> {
    let timeline = &member.report.analysis.timeline;
    let shown: Vec<&Moment> = timeline.moments().iter().filter(|moment| moment.kw.is_some_and(|kw| kw > 0.0)).collect();
    let kw = |at: &Moment| at.kw.unwrap_or_default();
    let dips: Vec<(f64, f64)> = dips_of(&member.report.findings).collect();
    let mut found: Vec<Seen> = Vec::new();
    for pair in 1..shown.len().saturating_sub(1) {
        let (before, after) = (shown[pair - 1], shown[pair]);
        let fall = 1.0 - kw(after) / kw(before);
        let minutes = after.minute - before.minute;
        if fall < STEP
            || minutes > SUDDEN
            || dips.iter().any(|dip| after.soc >= dip.0 - 1.0 && before.soc <= dip.1 + 1.0)
        {
            continue;
        }
        let pace = |a: &Moment, b: &Moment| (1.0 - kw(b) / kw(a)).max(0.0) / (b.minute - a.minute).max(1e-6);
        let around = [
            shown.get(pair.wrapping_sub(2)).map(|earlier| pace(earlier, before)),
            shown.get(pair + 1).map(|later| pace(after, later)),
        ];
        let usual = around.into_iter().flatten().fold(0.0, f64::max);
        if fall / minutes >= STEEPER * usual {
            let (start, soc) = (timeline.start_soc().get(), f64::midpoint(before.soc, after.soc));
            let minute = after.minute - timeline.start().get();
            found.push(Seen { name: member.name, minute, soc, start, from: kw(before), to: kw(after) });
        }
    }
    found
}

fn dips_of(findings: &[Finding]) -> impl Iterator<Item = (f64, f64)> {
    let dips = findings.iter().filter(|finding| matches!(finding.fact, Fact::Dip { .. }));
    dips.filter_map(|finding| finding.span).map(|span| (span.0.get(), span.1.get()))
}

/// Where the power of one charge dipped.
fn dips<'a>(member: &Member<'a>) -> Vec<Seen<'a>> {
    let middle = |(from, to): (f64, f64)| Seen {
        name: member.name,
        minute: 0.0,
        soc: f64::midpoint(from, to),
        start: 0.0,
        from: 0.0,
        to: 0.0,
    };
    dips_of(&member.report.findings).map(middle).collect()
}
