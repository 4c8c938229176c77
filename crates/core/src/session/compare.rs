//! Several sessions on one scale: a common window, differences to a chosen one, and what would mislead.
//!
//! Two results are a tie when they differ by no more than their errors together: half-widths from displays and readings,
//! in quadrature, and no less than two runs of one car differ from each other. Percent says little between packs of
//! different size, so every row also says kWh and km a minute.

use crate::quantity::{Distance, Energy, Minutes, Power, Soc, SocSpan, Temperature};
use crate::session::Session;
use crate::session::analysis::Window;
use crate::session::report::Report;

/// Most sessions that are compared at once.
pub const MOST_COMPARED: usize = 8;
/// Packs that differ by more than this share are not compared by percent.
const PACKS_DIFFER: f64 = 0.05;
/// Start points that differ by more than this are different starts, points.
const STARTS_DIFFER: f64 = 2.0;
/// Packs at the start that differ by more than this are cold against warm, K.
const WARMTH_DIFFERS: f64 = 5.0;
/// Width of a part in which time is won or lost, points.
const PART: f64 = 10.0;

/// One session to compare.
#[derive(Clone, Copy, Debug)]
pub struct Run<'a> {
    /// Name for people.
    pub name: &'a str,
    /// Which car it was, by any number.
    pub car: Option<i32>,
    /// Whether the car is known for a boost.
    pub boosted: bool,
    /// What was measured.
    pub session: &'a Session,
    /// What was read off it.
    pub report: &'a Report,
}

/// One session's line.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// The common window in this session.
    pub window: Option<Window>,
    /// How far its minutes may be off, either way.
    pub error: Minutes,
    /// Energy into the battery in the window.
    pub stored: Energy,
    /// Average power into the battery in the window.
    pub into_battery: Option<Power>,
    /// Minutes from the window's start to the energy that every session adds.
    pub to_energy: Option<Minutes>,
    /// Minutes from the window's start to the distance that every session adds.
    pub to_distance: Option<Minutes>,
    /// Against the chosen session; `None` for itself.
    pub difference: Option<Difference>,
}

/// A difference to the chosen session.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Difference {
    /// More or fewer minutes for the window.
    pub minutes: Minutes,
    /// The same in % of the chosen session's minutes.
    pub percent: f64,
    /// More or fewer kWh stored a minute.
    pub kwh_per_minute: f64,
    /// More or fewer km a minute, where both have a range.
    pub km_per_minute: Option<f64>,
    /// Whether the minutes are within the measuring error of each other.
    pub tie: bool,
}

/// How far runs of one car under like conditions differ.
#[derive(Clone, Debug, PartialEq)]
pub struct Repeatability {
    /// The runs, by their place.
    pub runs: Vec<usize>,
    /// Longest less shortest window.
    pub spread: Minutes,
}

/// A part of the window, with the minutes that each session took for it.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// Where it begins.
    pub from: Soc,
    /// Where it ends.
    pub to: Soc,
    /// Minutes of each session.
    pub minutes: Vec<Minutes>,
}

/// What would mislead.
#[derive(Clone, Debug, PartialEq)]
pub enum Caution {
    /// The packs are of different sizes, from the least to the most.
    PacksDiffer(Energy, Energy),
    /// The charger was the limit for a part of one.
    ChargerLimited {
        /// The session's name.
        name: String,
    },
    /// The start points differ, from the least to the most.
    StartsDiffer {
        /// The lowest start.
        low: Soc,
        /// The highest start.
        high: Soc,
        /// Whether a boost counts from the start.
        boosted: bool,
    },
    /// The packs began at different temperatures, from the least to the most.
    WarmthDiffers(Temperature, Temperature),
    /// AC and DC charges are on one scale.
    AcAndDc,
    /// Runs of one car with different software.
    SoftwareDiffers(Vec<String>),
    /// Runs of one car that were noted with different capacities, from the least to the most.
    CapacityDiffers(Energy, Energy),
    /// Something that was noted of some differs: the car on or off, a shared cabinet, preconditioning, the meter.
    Differs(NotedOf),
}

/// What was noted of a charge and may differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotedOf {
    /// Whether the car was on.
    CarOn,
    /// Whether another car drew from the same cabinet.
    Cabinet,
    /// Whether and how it was preconditioned.
    Preconditioning,
    /// Whose meter was read.
    Meter,
}

impl Caution {
    /// A stable name.
    pub fn code(&self) -> &'static str {
        match self {
            Self::PacksDiffer(..) => "packs-differ",
            Self::ChargerLimited { .. } => "charger-limited",
            Self::StartsDiffer { boosted: true, .. } => "starts-differ-with-boost",
            Self::StartsDiffer { .. } => "starts-differ",
            Self::WarmthDiffers(..) => "warmth-differs",
            Self::AcAndDc => "ac-and-dc",
            Self::SoftwareDiffers(_) => "software-differs",
            Self::CapacityDiffers(..) => "capacity-differs",
            Self::Differs(NotedOf::CarOn) => "car-on-differs",
            Self::Differs(NotedOf::Cabinet) => "cabinet-differs",
            Self::Differs(NotedOf::Preconditioning) => "preconditioning-differs",
            Self::Differs(NotedOf::Meter) => "meter-differs",
        }
    }
}

/// Sessions on one scale.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    /// The window that every session covers, in whole percents; `None` when there is none.
    pub common: Option<(Soc, Soc)>,
    /// The window that is compared.
    pub window: Option<(Soc, Soc)>,
    /// Energy that every session adds from the window's start.
    pub energy: Option<Energy>,
    /// Distance that every session adds from the window's start, where all have a range.
    pub distance: Option<Distance>,
    /// One row for each session.
    pub rows: Vec<Row>,
    /// The window part by part.
    pub parts: Vec<Part>,
    /// Runs of one car under like conditions.
    pub repeatability: Vec<Repeatability>,
    /// What would mislead.
    pub cautions: Vec<Caution>,
}

/// Compares sessions over a window, or over all that they have in common, against the one at `base`.
pub fn compare(runs: &[Run], window: Option<(Soc, Soc)>, base: usize) -> Comparison {
    let common = common_window(runs);
    let window = window.or(common).filter(|window| window.1 > window.0);
    let mut comparison = Comparison {
        common,
        window,
        energy: window.and_then(|window| least(runs.iter().map(|run| stored(run, window).get())).map(Energy::kwh)),
        distance: window.and_then(|window| common_distance(runs, window)),
        rows: Vec::new(),
        parts: window.map(|window| parts(runs, window)).unwrap_or_default(),
        repeatability: Vec::new(),
        cautions: cautions(runs),
    };
    comparison.rows = runs.iter().map(|run| row(run, &comparison)).collect();
    comparison.repeatability = repeatability(runs, &comparison.rows);
    let differences: Vec<_> = (0..runs.len()).map(|index| difference(&comparison, runs, base, index)).collect();
    for (row, difference) in comparison.rows.iter_mut().zip(differences) {
        row.difference = difference;
    }
    comparison
}

fn least(numbers: impl Iterator<Item = f64>) -> Option<f64> {
    numbers.reduce(f64::min)
}

/// What all sessions cover, in whole percents.
fn common_window(runs: &[Run]) -> Option<(Soc, Soc)> {
    let timeline =
        |run: &Run| (run.report.analysis.timeline.start_soc().get(), run.report.analysis.timeline.end_soc().get());
    let from = runs.iter().map(|run| timeline(run).0).reduce(f64::max)?.ceil();
    let to = least(runs.iter().map(|run| timeline(run).1))?.floor();
    (to > from).then_some((Soc::percent(from), Soc::percent(to)))
}

fn usable(run: &Run) -> Energy {
    run.report.analysis.basis().usable
}

fn stored(run: &Run, window: (Soc, Soc)) -> Energy {
    usable(run) * ((window.1 - window.0).get() / 100.0)
}

fn common_distance(runs: &[Run], window: (Soc, Soc)) -> Option<Distance> {
    let added = |run: &Run| run.report.analysis.window(window.0, window.1)?.added.map(Distance::get);
    let added: Option<Vec<f64>> = runs.iter().map(added).collect();
    least(added?.into_iter()).map(Distance::km)
}

fn row(run: &Run, comparison: &Comparison) -> Row {
    let analysis = &run.report.analysis;
    let window = comparison.window.and_then(|window| analysis.window(window.0, window.1));
    let from = comparison.window.map(|window| window.0);
    let after = |points: Option<SocSpan>| {
        let (from, points) = (from?, points?);
        // What every session adds, one adds with its very last reading; a rounding error must not reach beyond it.
        let to = (from + points).get().min(analysis.timeline.end_soc().get().max((from + points).get() - 1e-6));
        Some(analysis.timeline.minute_at(Soc::percent(to))? - analysis.timeline.minute_at(from)?)
    };
    let points_of_energy = comparison.energy.map(|energy| SocSpan::points(100.0 * (energy / usable(run))));
    let range = analysis.basis().range;
    let points_of_distance =
        comparison.distance.zip(range).map(|(distance, range)| SocSpan::points(100.0 * (distance / range)));
    let stored = comparison.window.map_or(Energy::kwh(0.0), |window| stored(run, window));
    Row {
        error: comparison.window.and_then(|window| analysis.window_error(window.0, window.1)).unwrap_or_default(),
        stored,
        into_battery: window.as_ref().map(|window| stored / window.minutes),
        to_energy: after(points_of_energy),
        to_distance: after(points_of_distance),
        difference: None,
        window,
    }
}

fn difference(comparison: &Comparison, runs: &[Run], base: usize, index: usize) -> Option<Difference> {
    let (chosen, row) = (comparison.rows.get(base)?, comparison.rows.get(index)?);
    let (before, now) = (chosen.window.as_ref()?, row.window.as_ref()?);
    if base == index {
        return None;
    }
    let minutes = now.minutes - before.minutes;
    let same_car = runs[base].car.is_some() && runs[base].car == runs[index].car;
    let repeats = comparison
        .repeatability
        .iter()
        .filter(|group| same_car && group.runs.iter().any(|&run| runs[run].car == runs[base].car));
    let spread = repeats.map(|group| group.spread.get()).fold(0.0, f64::max);
    let pace = |window: &Window| window.added.map(|added| added.get() / window.minutes.get());
    Some(Difference {
        minutes,
        percent: 100.0 * (minutes / before.minutes),
        kwh_per_minute: row.stored.get() / now.minutes.get() - chosen.stored.get() / before.minutes.get(),
        km_per_minute: pace(now).zip(pace(before)).map(|(now, before)| now - before),
        tie: minutes.get().abs() <= chosen.error.get().hypot(row.error.get()).max(spread),
    })
}

fn parts(runs: &[Run], (from, to): (Soc, Soc)) -> Vec<Part> {
    let mut edges = vec![from.get()];
    edges.extend((1..10).map(|ten| PART * f64::from(ten)).filter(|&edge| edge > from.get() && edge < to.get()));
    edges.push(to.get());
    let part = |edge: &[f64]| {
        let (from, to) = (Soc::percent(edge[0]), Soc::percent(edge[1]));
        let minutes: Option<Vec<Minutes>> =
            runs.iter().map(|run| run.report.analysis.window(from, to).map(|window| window.minutes)).collect();
        Some(Part { from, to, minutes: minutes? })
    };
    edges.windows(2).filter_map(part).collect()
}

/// Runs of one car that began alike, where there are at least two.
fn repeatability(runs: &[Run], rows: &[Row]) -> Vec<Repeatability> {
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for index in 0..runs.len() {
        match groups.iter_mut().find(|group| alike(&runs[group[0]], &runs[index])) {
            Some(group) => group.push(index),
            None => groups.push(vec![index]),
        }
    }
    let spread = |group: Vec<usize>| {
        let minutes = || group.iter().filter_map(|&run| rows[run].window.as_ref()).map(|window| window.minutes.get());
        let spread = minutes().reduce(f64::max)? - least(minutes())?;
        (group.len() > 1).then(|| Repeatability { runs: group, spread: Minutes::new(spread) })
    };
    groups.into_iter().filter_map(spread).collect()
}

/// Whether two runs are of one car with one software, began at like SoC and warmth, and neither met a limit.
fn alike(one: &Run, other: &Run) -> bool {
    let start = |run: &Run| run.report.analysis.timeline.start_soc().get();
    let warmth = |run: &Run| run.session.battery_at_start().map(Temperature::get);
    let free = |run: &Run| !has(run, "charger-limited") && !has(run, "derated-stall");
    one.car.is_some()
        && one.car == other.car
        && one.session.conditions.software == other.session.conditions.software
        && (start(one) - start(other)).abs() <= STARTS_DIFFER
        && warmth(one).zip(warmth(other)).is_none_or(|(one, other)| (one - other).abs() <= WARMTH_DIFFERS)
        && free(one)
        && free(other)
}

fn has(run: &Run, code: &str) -> bool {
    run.report.findings.iter().any(|finding| finding.code() == code)
}

fn spread_of(numbers: impl Iterator<Item = f64>) -> Option<(f64, f64)> {
    numbers.fold(None, |range, number| match range {
        None => Some((number, number)),
        Some((low, high)) => Some((f64::min(low, number), f64::max(high, number))),
    })
}

fn cautions(runs: &[Run]) -> Vec<Caution> {
    let mut cautions = Vec::new();
    let packs = spread_of(runs.iter().map(|run| usable(run).get()));
    if let Some((low, high)) = packs.filter(|(low, high)| high / low > 1.0 + PACKS_DIFFER) {
        cautions.push(Caution::PacksDiffer(Energy::kwh(low), Energy::kwh(high)));
    }
    let limited = runs.iter().filter(|run| has(run, "charger-limited") || has(run, "derated-stall"));
    cautions.extend(limited.map(|run| Caution::ChargerLimited { name: run.name.to_string() }));
    let starts = spread_of(runs.iter().map(|run| run.report.analysis.timeline.start_soc().get()));
    let boosted = runs.iter().any(|run| run.boosted || has(run, "boost-over"));
    if let Some((low, high)) = starts.filter(|(low, high)| high - low > STARTS_DIFFER) {
        cautions.push(Caution::StartsDiffer { low: Soc::percent(low), high: Soc::percent(high), boosted });
    }
    let warmths = spread_of(runs.iter().filter_map(|run| run.session.battery_at_start()).map(Temperature::get));
    if let Some((low, high)) = warmths.filter(|(low, high)| high - low > WARMTH_DIFFERS) {
        cautions.push(Caution::WarmthDiffers(Temperature::celsius(low), Temperature::celsius(high)));
    }
    let ac = runs.iter().filter(|run| run.session.conditions.phases.is_some()).count();
    if ac > 0 && ac < runs.len() {
        cautions.push(Caution::AcAndDc);
    }
    cautions.extend(software(runs));
    cautions.extend(capacity(runs));
    cautions.extend(noted(runs).into_iter().map(Caution::Differs));
    cautions
}

/// Different software of one car, where it was noted.
fn software(runs: &[Run]) -> Option<Caution> {
    let noted: Vec<(Option<i32>, &str)> =
        runs.iter().filter_map(|run| Some((run.car, run.session.conditions.software.as_deref()?.trim()))).collect();
    let mut versions: Vec<String> = Vec::new();
    for (car, software) in &noted {
        let other = noted.iter().any(|(same, version)| car.is_some() && same == car && version != software);
        if other && !versions.iter().any(|known| known == software) {
            versions.push((*software).to_string());
        }
    }
    (!versions.is_empty()).then_some(Caution::SoftwareDiffers(versions))
}

/// Different capacities noted for one car.
fn capacity(runs: &[Run]) -> Option<Caution> {
    let of = |car: i32| {
        let noted = runs.iter().filter(move |run| run.car == Some(car));
        spread_of(noted.filter_map(|run| run.session.conditions.usable).map(Energy::get))
    };
    let spread = runs.iter().filter_map(|run| of(run.car?)).find(|(low, high)| high / low > 1.02)?;
    Some(Caution::CapacityDiffers(Energy::kwh(spread.0), Energy::kwh(spread.1)))
}

/// Whether what was noted is not the same everywhere.
fn differ<T: PartialEq>(noted: impl Iterator<Item = Option<T>>) -> bool {
    let known: Vec<T> = noted.flatten().collect();
    known.windows(2).any(|pair| pair[0] != pair[1])
}

/// What was noted differently of at least two.
fn noted(runs: &[Run]) -> Vec<NotedOf> {
    let conditions = || runs.iter().map(|run| &run.session.conditions);
    let preconditioned = |text: &String| text.trim().to_lowercase();
    let all = [
        (NotedOf::CarOn, differ(conditions().map(|noted| noted.car_on))),
        (NotedOf::Cabinet, differ(conditions().map(|noted| noted.shared_cabinet))),
        (NotedOf::Preconditioning, differ(conditions().map(|noted| noted.preconditioned.as_ref().map(preconditioned)))),
        (NotedOf::Meter, differ(conditions().map(|noted| Some(noted.meter)))),
    ];
    all.into_iter().filter(|(_, differs)| *differs).map(|(what, _)| what).collect()
}
