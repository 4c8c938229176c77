//! From the sessions of a car to its curves: one for each kind of start, each a weighted mean with its reasons.
//!
//! Sessions are grouped by the pack's warmth at the start (below 15 °C, 15 to 25, from 25 on, not noted), by whether they
//! began low enough for a boost (50 % or below), and by software. One of another capacity than the car's counts for nothing
//! and is named. Within a group, at each SoC, minutes per percent are averaged, since minutes are what adds up:
//! 1/P = Σ w/P / Σ w. A session weighs 1/(u² + 0.03²) over all of its range, u being half its uncertainty band over its
//! power; the 3 % are what two runs of one car differ by at best (common practice, no published source). A part measured
//! under a charger's limit is a lower bound: it counts only where nothing else was measured.
//!
//! Where sessions of different ranges meet, such a mean may be faster over a window than any session that covers it. It is
//! then slowed down until no window is faster than the fastest of those.

use crate::charging::curve_band::BandPoint;
use crate::charging::curve_fit::FittedCurve;
use crate::charging::profile::Profile;
use crate::quantity::{Energy, Soc, Temperature};
use crate::session::Session;
use crate::session::report::Report;

/// Grid on which curves are combined, points.
const STEP: f64 = 0.5;
/// Relative uncertainty that no session is better than.
const AT_BEST: f64 = 0.03;
/// Two capacities that differ by more than this share are not one car's.
const SAME_CAPACITY: f64 = 0.02;
/// Sessions up to which every point of every curve is a place of its own.
const MOST_BY_KNOT: usize = 4;
/// Rounds in which windows are slowed down at most; each round only slows, and most need two.
const MOST_ROUNDS: usize = 40;
/// Starts up to here may have met a boost, %.
const LOW_START: f64 = 50.0;
/// Findings whose span is a limit, not the car.
const LIMITS: [&str; 2] = ["charger-limited", "derated-stall"];

/// The pack's warmth at the start.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Warmth {
    /// 25 °C or more.
    Warm,
    /// 15 to 25 °C.
    Mild,
    /// Below 15 °C.
    Cold,
    /// Nobody noted the pack's temperature.
    Unknown,
}

/// A kind of start.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct StartKind {
    /// The pack's warmth.
    pub warmth: Warmth,
    /// Whether it began above 50 %.
    pub high: bool,
    /// The car's software, where it was noted.
    pub software: Option<String>,
}

/// A session of a car.
#[derive(Clone, Copy, Debug)]
pub struct Member<'a> {
    /// Name for people.
    pub name: &'a str,
    /// What was measured.
    pub session: &'a Session,
    /// What was read off it.
    pub report: &'a Report,
}

/// One curve of a family.
#[derive(Clone, Debug)]
pub struct FamilyCurve {
    /// The kind of start that it is for.
    pub kind: StartKind,
    /// Power into the battery over SoC, kW.
    pub power: Profile,
    /// The SoC range that was measured.
    pub measured: (Soc, Soc),
    /// Each session with its share of the weight, 0 to 1, over the whole range.
    pub members: Vec<(String, f64)>,
    /// SoC ranges that only a charger's limit was seen in: there the curve is a lower bound.
    pub lower_bound: Vec<(Soc, Soc)>,
}

impl StartKind {
    /// The kind of a session.
    pub fn of(session: &Session, start: Soc) -> Self {
        let warmth = match session.battery_at_start().map(Temperature::get) {
            Some(celsius) if celsius < 15.0 => Warmth::Cold,
            Some(celsius) if celsius < 25.0 => Warmth::Mild,
            Some(_) => Warmth::Warm,
            None => Warmth::Unknown,
        };
        let software = session.conditions.software.clone().map(|software| software.trim().to_string());
        Self { warmth, high: start.get() > LOW_START, software: software.filter(|software| !software.is_empty()) }
    }

    /// In words.
    pub fn name(&self) -> String {
        let warmth = match self.warmth {
            Warmth::Warm => "warm",
            Warmth::Mild => "mild",
            Warmth::Cold => "cold",
            Warmth::Unknown => "pack temperature not noted",
        };
        let start = if self.high { "from above 50 %" } else { "from a low start" };
        let software = self.software.as_ref().map(|software| format!(", software {software}")).unwrap_or_default();
        format!("{warmth}, {start}{software}")
    }
}

/// Whether a session is of another capacity than the car's, as it was noted with it.
pub fn other_capacity(session: &Session, usable: Energy) -> Option<Energy> {
    session.conditions.usable.filter(|noted| ((*noted / usable) - 1.0).abs() > SAME_CAPACITY)
}

/// The curves of a car, one for each kind of start that was measured, warm ones first. AC sessions do not count.
pub fn curve_family(members: &[Member], usable: Energy) -> Vec<FamilyCurve> {
    let kind = |member: &Member| StartKind::of(member.session, member.report.analysis.timeline.start_soc());
    let counts = |member: &&Member| {
        member.session.conditions.phases.is_none() && other_capacity(member.session, usable).is_none()
    };
    let dc = || members.iter().filter(counts);
    let mut kinds: Vec<StartKind> = dc().map(kind).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let of_kind = |wanted: StartKind| {
        let group: Vec<Source> = dc().filter(|member| kind(member) == wanted).map(Source::new).collect();
        combine(&group, wanted, usable)
    };
    kinds.into_iter().filter_map(of_kind).collect()
}

/// A member as it is combined.
struct Source<'a> {
    name: &'a str,
    curve: &'a FittedCurve,
    weight: f64,
    limited: Vec<(f64, f64)>,
}

/// What one source says at one SoC.
struct Word {
    kw: f64,
    limited: bool,
}

impl<'a> Source<'a> {
    fn new(member: &Member<'a>) -> Self {
        let limits = member.report.findings.iter().filter(|finding| LIMITS.contains(&finding.code()));
        let limited = limits.filter_map(|finding| finding.span).map(|span| (span.0.get(), span.1.get())).collect();
        let curve = &member.report.curve;
        let unsure = |band: &BandPoint| (band.high - band.low).get() / (2.0 * curve.power.at(band.soc.get()).max(1.0));
        let band = &member.report.band;
        let unsure = if band.is_empty() { 1.0 } else { band.iter().map(unsure).sum::<f64>() / band.len() as f64 };
        Self { name: member.name, curve, weight: 1.0 / (unsure * unsure + AT_BEST * AT_BEST), limited }
    }

    fn at(&self, soc: f64) -> Option<Word> {
        let (from, to) = (self.curve.measured.0.get(), self.curve.measured.1.get());
        if soc < from - 1e-9 || soc > to + 1e-9 {
            return None;
        }
        let limited = self.limited.iter().any(|span| soc >= span.0 && soc <= span.1);
        Some(Word { kw: self.curve.power.at(soc), limited })
    }
}

fn combine(group: &[Source], kind: StartKind, usable: Energy) -> Option<FamilyCurve> {
    let from = group.iter().map(|source| source.curve.measured.0.get()).reduce(f64::min)?;
    let to = group.iter().map(|source| source.curve.measured.1.get()).reduce(f64::max)?;
    let grid = grid(from, to, group);
    let mut slowness: Vec<(f64, f64)> = Vec::new();
    let mut shares = vec![0.0; group.len()];
    let mut bounds: Vec<(f64, f64)> = Vec::new();
    for &soc in &grid {
        let words: Vec<Option<Word>> = group.iter().map(|source| source.at(soc)).collect();
        let free = words.iter().flatten().any(|word| !word.limited);
        let counted: Vec<(usize, &Word)> = words
            .iter()
            .enumerate()
            .filter_map(|(at, word)| Some((at, word.as_ref()?)))
            .filter(|(_, word)| word.limited != free)
            .collect();
        let sum: f64 = counted.iter().map(|(at, _)| group[*at].weight).sum();
        if sum <= 0.0 {
            continue;
        }
        slowness.push((soc, counted.iter().map(|(at, word)| group[*at].weight / word.kw).sum::<f64>() / sum));
        for (at, _) in &counted {
            shares[*at] += group[*at].weight / sum;
        }
        if !free {
            extend(&mut bounds, soc);
        }
    }
    no_faster_than_any(&mut slowness, group);
    let mut points: Vec<(f64, f64)> = slowness.iter().map(|&(soc, slow)| (soc, 1.0 / slow)).collect();
    let whole: f64 = shares.iter().sum();
    if to < 100.0 {
        let last = points.last()?.1;
        points.push((100.0, last.min(FittedCurve::assumed_top(usable))));
    }
    let span = |&(from, to): &(f64, f64)| (Soc::percent(from), Soc::percent(to));
    Some(FamilyCurve {
        kind,
        power: Profile::new(points).ok()?,
        measured: (Soc::percent(from), Soc::percent(to)),
        members: group.iter().zip(shares).map(|(source, share)| (source.name.to_string(), share / whole)).collect(),
        lower_bound: bounds.iter().map(span).collect(),
    })
}

/// Slows a curve, as 1/P over SoC, down where a window of it is faster than every session that covers the window freely.
fn no_faster_than_any(slowness: &mut [(f64, f64)], group: &[Source]) {
    // For each session, its own 1/P at each place; `None` where it was limited or not measured.
    let own: Vec<Vec<Option<f64>>> = group
        .iter()
        .map(|source| {
            let at = |&(soc, _): &(f64, f64)| source.at(soc).filter(|word| !word.limited).map(|word| 1.0 / word.kw);
            slowness.iter().map(at).collect()
        })
        .collect();
    for _ in 0..MOST_ROUNDS {
        let mut slowed = false;
        for from in 0..slowness.len() {
            // Areas under 1/P from here on: the curve's and each covering session's.
            let mut area = 0.0;
            let mut areas: Vec<Option<f64>> = own.iter().map(|own| own[from].map(|_| 0.0)).collect();
            for to in from + 1..slowness.len() {
                let width = slowness[to].0 - slowness[to - 1].0;
                area += width * f64::midpoint(slowness[to].1, slowness[to - 1].1);
                for (sum, own) in areas.iter_mut().zip(&own) {
                    *sum = sum.and_then(|sum| Some(sum + width * f64::midpoint(own[to]?, own[to - 1]?)));
                }
                let covering = areas.iter().enumerate().filter_map(|(at, area)| Some((at, (*area)?)));
                let Some((fastest, least)) = covering.min_by(|a, b| a.1.total_cmp(&b.1)) else { break };
                if area < least * (1.0 - 1e-9) {
                    for (place, own) in slowness[from..=to].iter_mut().zip(&own[fastest][from..=to]) {
                        place.1 = own.map_or(place.1, |own| place.1.max(own));
                    }
                    area = area_of(&slowness[from..=to]);
                    slowed = true;
                }
            }
        }
        if !slowed {
            return;
        }
    }
}

/// Area under points, by trapezoids.
fn area_of(points: &[(f64, f64)]) -> f64 {
    points.windows(2).map(|pair| (pair[1].0 - pair[0].0) * f64::midpoint(pair[0].1, pair[1].1)).sum()
}

/// Even steps, and every point of the curves, so that a step stays one.
fn grid(from: f64, to: f64, group: &[Source]) -> Vec<f64> {
    let count = ((to - from) / STEP).floor() as usize;
    let mut grid: Vec<f64> = (0..=count).map(|index| from + index as f64 * STEP).collect();
    if group.len() <= MOST_BY_KNOT {
        grid.extend(group.iter().flat_map(|source| source.curve.power.knots()).flat_map(|knot| [knot - 1e-3, knot]));
    }
    grid.retain(|&soc| soc >= from && soc < to - 1e-9);
    grid.push(to);
    grid.sort_by(f64::total_cmp);
    grid.dedup_by(|a, b| *a - *b < 1e-6);
    grid
}

/// Adds a grid point to the last of some ranges, or begins a new one.
fn extend(ranges: &mut Vec<(f64, f64)>, soc: f64) {
    match ranges.last_mut() {
        Some(last) if soc - last.1 <= STEP + 1e-9 => last.1 = soc,
        _ => ranges.push((soc, soc)),
    }
}
