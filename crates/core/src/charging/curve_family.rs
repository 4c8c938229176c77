//! From the sessions of a car to its curves: one for each kind of start, each a weighted mean with its reasons.
//!
//! Sessions are grouped by the pack's warmth at the start (below 15 °C, 15 to 25, from 25 on) and by whether they began
//! low enough for a boost (50 % or below). Within a group, at each SoC, minutes per percent are averaged, since minutes
//! are what adds up: 1/P = Σ w/P / Σ w. A session weighs 1/(u² + 0.03²), u being half its uncertainty band over its power
//! there; the 3 % are what two runs of one car differ by at best (common practice, no published source). A part measured
//! under a charger's limit is a lower bound: it counts only where nothing else was measured.

use crate::charging::curve_fit::FittedCurve;
use crate::charging::profile::Profile;
use crate::quantity::{Energy, Soc, Temperature};
use crate::session::Session;
use crate::session::report::Report;

/// Grid on which curves are combined, points.
const STEP: f64 = 0.5;
/// Relative uncertainty that no session is better than.
const AT_BEST: f64 = 0.03;
/// Starts up to here may have met a boost, %.
const LOW_START: f64 = 50.0;
/// Findings whose span is a limit, not the car.
const LIMITS: [&str; 2] = ["charger-limited", "derated-stall"];

/// The pack's warmth at the start.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Warmth {
    /// 25 °C or more, or not noted.
    Warm,
    /// 15 to 25 °C.
    Mild,
    /// Below 15 °C.
    Cold,
}

/// A kind of start.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct StartKind {
    /// The pack's warmth.
    pub warmth: Warmth,
    /// Whether it began above 50 %.
    pub high: bool,
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
            _ => Warmth::Warm,
        };
        Self { warmth, high: start.get() > LOW_START }
    }

    /// In words.
    pub fn name(self) -> &'static str {
        match (self.warmth, self.high) {
            (Warmth::Warm, false) => "warm, from a low start",
            (Warmth::Warm, true) => "warm, from above 50 %",
            (Warmth::Mild, false) => "mild, from a low start",
            (Warmth::Mild, true) => "mild, from above 50 %",
            (Warmth::Cold, false) => "cold, from a low start",
            (Warmth::Cold, true) => "cold, from above 50 %",
        }
    }
}

/// The curves of a car, one for each kind of start that was measured, warm ones first. AC sessions do not count.
pub fn curve_family(members: &[Member], usable: Energy) -> Vec<FamilyCurve> {
    let kind = |member: &Member| StartKind::of(member.session, member.report.analysis.timeline.start_soc());
    let dc = || members.iter().filter(|member| member.session.conditions.phases.is_none());
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
    report: &'a Report,
    limited: Vec<(f64, f64)>,
}

/// What one source says at one SoC.
struct Word {
    kw: f64,
    weight: f64,
    limited: bool,
}

impl<'a> Source<'a> {
    fn new(member: &Member<'a>) -> Self {
        let limits = member.report.findings.iter().filter(|finding| LIMITS.contains(&finding.code()));
        let limited = limits.filter_map(|finding| finding.span).map(|span| (span.0.get(), span.1.get())).collect();
        Self { name: member.name, curve: &member.report.curve, report: member.report, limited }
    }

    fn at(&self, soc: f64) -> Option<Word> {
        let (from, to) = (self.curve.measured.0.get(), self.curve.measured.1.get());
        if soc < from || soc > to {
            return None;
        }
        let kw = self.curve.power.at(soc);
        let band =
            self.report.band.iter().min_by(|a, b| (a.soc.get() - soc).abs().total_cmp(&(b.soc.get() - soc).abs()));
        let unsure = band.map_or(1.0, |band| (band.high - band.low).get() / (2.0 * kw));
        let limited = self.limited.iter().any(|span| soc >= span.0 && soc <= span.1);
        Some(Word { kw, weight: 1.0 / (unsure * unsure + AT_BEST * AT_BEST), limited })
    }
}

fn combine(group: &[Source], kind: StartKind, usable: Energy) -> Option<FamilyCurve> {
    let from = group.iter().map(|source| source.curve.measured.0.get()).reduce(f64::min)?;
    let to = group.iter().map(|source| source.curve.measured.1.get()).reduce(f64::max)?;
    let mut points: Vec<(f64, f64)> = Vec::new();
    let mut shares = vec![0.0; group.len()];
    let mut bounds: Vec<(f64, f64)> = Vec::new();
    for soc in grid(from, to) {
        let words: Vec<Option<Word>> = group.iter().map(|source| source.at(soc)).collect();
        let free = words.iter().flatten().any(|word| !word.limited);
        let counts = |word: &&Word| word.limited != free;
        let sum: f64 = words.iter().flatten().filter(counts).map(|word| word.weight).sum();
        if sum <= 0.0 {
            continue;
        }
        let slowness: f64 = words.iter().flatten().filter(counts).map(|word| word.weight / word.kw).sum();
        points.push((soc, sum / slowness));
        for (share, word) in shares.iter_mut().zip(&words) {
            *share += word.as_ref().filter(counts).map_or(0.0, |word| word.weight / sum);
        }
        if !free {
            extend(&mut bounds, soc);
        }
    }
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

fn grid(from: f64, to: f64) -> impl Iterator<Item = f64> {
    let count = ((to - from) / STEP).floor() as usize;
    let inner = (0..=count).map(move |index| from + index as f64 * STEP).filter(move |&soc| soc < to - 1e-9);
    inner.chain([to])
}

/// Adds a grid point to the last of some ranges, or begins a new one.
fn extend(ranges: &mut Vec<(f64, f64)>, soc: f64) {
    match ranges.last_mut() {
        Some(last) if soc - last.1 <= STEP + 1e-9 => last.1 = soc,
        _ => ranges.push((soc, soc)),
    }
}
