//! The day line: minutes run to the right, SoC upward. Driving falls, charging climbs, fixed minutes are flat, so the
//! width of a stop is its cost. The floor is a line; the road with all its sites lies below on the same scale.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::trip::{SiteIndex, Trip};
use spare_hour_planner::Plan;
use spare_hour_planner::trip_timeline::{Doing, Span, TripTimeline};

use crate::charts::{Scale, Tick, path};
use spare_hour_wording::figures;

const LEFT: f64 = 46.0;
const RIGHT: f64 = 1184.0;
const TOP: f64 = 52.0;
const BOTTOM: f64 = 270.0;
/// Height of the road under the line.
const ROAD: f64 = 304.0;
/// Above this many stops names do not fit, and numbers stand alone.
const NAMED_STOPS: usize = 6;

/// A stretch of the line.
#[derive(Clone, Debug)]
pub(crate) struct Stroke {
    pub(crate) class: &'static str,
    pub(crate) path: String,
}

/// A stop on the line.
#[derive(Clone, Debug)]
pub(crate) struct StopMark {
    pub(crate) number: usize,
    pub(crate) site: String,
    pub(crate) name: Option<String>,
    pub(crate) minutes: String,
    /// Left end of the fixed minutes, of the charge, and its right end.
    pub(crate) x: [f64; 3],
    pub(crate) label_x: f64,
    pub(crate) label_y: f64,
    pub(crate) depart_y: f64,
    pub(crate) fixed: bool,
    pub(crate) now: String,
    pub(crate) least: String,
    pub(crate) most: String,
    pub(crate) told: String,
}

/// A site on the road.
#[derive(Clone, Debug)]
pub(crate) struct SiteMark {
    pub(crate) x: f64,
    pub(crate) used: bool,
    pub(crate) title: String,
}

/// The picture, ready for its template.
#[derive(Clone, Debug)]
pub(crate) struct DayLine {
    pub(crate) top: f64,
    pub(crate) bottom: f64,
    pub(crate) left: f64,
    pub(crate) right: f64,
    pub(crate) road_y: f64,
    pub(crate) strokes: Vec<Stroke>,
    pub(crate) roads: Vec<(f64, f64)>,
    pub(crate) stops: Vec<StopMark>,
    pub(crate) sites: Vec<SiteMark>,
    pub(crate) floor_y: f64,
    pub(crate) floor: String,
    pub(crate) soc_ticks: Vec<Tick>,
    pub(crate) time_ticks: Vec<Tick>,
    pub(crate) arrival: String,
    pub(crate) arrival_y: f64,
    pub(crate) told: String,
}

impl DayLine {
    /// The picture of a plan. `fixed` are the sites whose departure the driver has fixed.
    pub(crate) fn new(trip: &Trip, plan: &Plan, fixed: &[SiteIndex], departure: f64, units: Units) -> Self {
        let timeline = TripTimeline::new(trip, plan);
        let x = Scale::new((0.0, timeline.end()), (LEFT, RIGHT));
        let y = Scale::new((0.0, 100.0), (BOTTOM, TOP));
        let draw = |span: &Span| Stroke { class: class(span.doing), path: path(span.points.iter().copied(), &x, &y) };
        let driving = timeline.spans.iter().filter(|span| span.doing == Doing::Driving);
        Self {
            top: TOP,
            bottom: BOTTOM,
            left: LEFT,
            right: RIGHT,
            road_y: ROAD,
            strokes: timeline.spans.iter().map(draw).collect(),
            roads: driving.map(|span| (x.at(span.start()), x.at(span.end()))).collect(),
            stops: stop_marks(trip, plan, &timeline, fixed, (&x, &y)),
            sites: site_marks(trip, plan, &timeline, &x, units),
            floor_y: y.at(trip.goal.floor.get()),
            floor: figures::percent(trip.goal.floor),
            soc_ticks: (0..=4)
                .map(|i| f64::from(25 * i))
                .map(|soc| Tick { at: y.at(soc), label: format!("{soc:.0}") })
                .collect(),
            time_ticks: time_ticks(timeline.end(), departure, &x, units),
            arrival: figures::percent(plan.arrival),
            arrival_y: y.at(plan.arrival.get()),
            told: told(trip, plan, departure, units),
        }
    }
}

fn class(doing: Doing) -> &'static str {
    match doing {
        Doing::Driving => "drive",
        Doing::Waiting(_) => "wait",
        Doing::Charging(_) => "charge",
    }
}

/// The picture in words, for those who do not see it.
fn told(trip: &Trip, plan: &Plan, departure: f64, units: Units) -> String {
    let stops: Vec<String> = plan
        .stops
        .iter()
        .map(|stop| {
            let (arrive, depart) = (figures::percent(stop.arrive), figures::percent(stop.depart));
            format!("{}: from {arrive} to {depart} in {:.0} min", trip.site(stop.site).name, stop.charge.get())
        })
        .collect();
    format!(
        "State of charge over the day: leaves at {} with {}, {}, arrives at {} with {}.",
        figures::time_of_day(units, departure, 0.0),
        figures::percent(trip.goal.start),
        if stops.is_empty() { "drives without a stop".to_string() } else { stops.join("; ") },
        figures::time_of_day(units, departure, plan.total.get()),
        figures::percent(plan.arrival),
    )
}

fn stop_marks(
    trip: &Trip,
    plan: &Plan,
    timeline: &TripTimeline,
    fixed: &[SiteIndex],
    (x, y): (&Scale, &Scale),
) -> Vec<StopMark> {
    let charging = timeline.spans.windows(2).filter(|pair| matches!(pair[1].doing, Doing::Charging(_)));
    let few = plan.stops.len() <= NAMED_STOPS;
    let mark = |(index, (stop, spans)): (usize, (&spare_hour_planner::Stop, &[Span]))| {
        let site = trip.site(stop.site);
        let ends = [x.at(spans[0].start()), x.at(spans[1].start()), x.at(spans[1].end())];
        let (now, depart) = (stop.depart.get(), figures::percent(stop.depart));
        StopMark {
            number: index + 1,
            site: site.id.clone(),
            name: few.then(|| site.name.clone()),
            minutes: format!("{:.0} min", stop.charge.get() + stop.overhead.get()),
            x: ends,
            label_x: f64::midpoint(ends[0], ends[2]).clamp(LEFT + 40.0, RIGHT - 50.0),
            label_y: if few || index % 2 == 0 { 16.0 } else { 32.0 },
            depart_y: y.at(now),
            fixed: fixed.contains(&stop.site),
            now: figures::field((now * 10.0).round() / 10.0),
            least: figures::field((stop.arrive.get() * 10.0).ceil() / 10.0),
            most: figures::field(trip.goal.ceiling.get()),
            told: format!("Leave {} with {depart}", site.name),
        }
    };
    plan.stops.iter().zip(charging).enumerate().map(mark).collect()
}

fn site_marks(trip: &Trip, plan: &Plan, timeline: &TripTimeline, x: &Scale, units: Units) -> Vec<SiteMark> {
    let mark = |(index, site): (SiteIndex, &spare_hour_core::trip::Site)| SiteMark {
        x: x.at(timeline.minute_at(site.at)),
        used: plan.stops.iter().any(|stop| stop.site == index),
        title: format!("{}, at {}, {:.0} kW", site.name, figures::distance(units, site.at), site.max_power.get()),
    };
    trip.indexed_sites().map(mark).collect()
}

/// Marks at full hours of the day.
fn time_ticks(length: f64, departure: f64, x: &Scale, units: Units) -> Vec<Tick> {
    let hours =
        [1.0, 2.0, 3.0, 6.0, 12.0, 24.0].into_iter().find(|hours| length / 60.0 / hours <= 14.0).unwrap_or(48.0);
    let step = 60.0 * hours;
    let first = (departure / step).ceil() * step;
    let count = ((departure + length - first) / step).floor().max(0.0) as usize;
    (0..=count)
        .map(|index| first + index as f64 * step)
        .filter(|&at| at <= departure + length)
        .map(|at| Tick { at: x.at(at - departure), label: figures::time_of_day(units, at, 0.0) })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_planner::Planner;

    fn trip() -> Trip {
        let text = include_bytes!("../../../../docs/formats/trip.example.json");
        spare_hour_formats::read_trip(text).unwrap()
    }

    #[test]
    fn the_width_of_a_stop_is_its_cost() {
        let trip = trip();
        let plan = Planner::new(trip.clone()).unwrap().best().plan.clone();
        let line = DayLine::new(&trip, &plan, &[], 480.0, Units::default());
        let per_minute = (RIGHT - LEFT) / plan.total.get();
        assert_eq!(line.stops.len(), plan.stops.len());
        for (mark, stop) in line.stops.iter().zip(&plan.stops) {
            assert!((mark.x[1] - mark.x[0] - per_minute * stop.overhead.get()).abs() < 0.2);
            assert!((mark.x[2] - mark.x[1] - per_minute * stop.charge.get()).abs() < 0.2);
            let height = (BOTTOM - mark.depart_y) / (BOTTOM - TOP) * 100.0;
            assert!((height - stop.depart.get()).abs() < 0.1);
        }
        assert_eq!(line.sites.iter().filter(|site| site.used).count(), plan.stops.len());
        assert!(line.told.contains("Further on: from 27 % to 54 % in 7 min"), "{}", line.told);
    }

    #[test]
    fn hours_are_marked_where_they_are() {
        let scale = Scale::new((0.0, 300.0), (0.0, 300.0));
        let ticks = time_ticks(300.0, 490.0, &scale, Units::default());
        let marks: Vec<(f64, &str)> = ticks.iter().map(|tick| (tick.at, tick.label.as_str())).collect();
        assert_eq!(marks, [(50.0, "09:00"), (110.0, "10:00"), (170.0, "11:00"), (230.0, "12:00"), (290.0, "13:00")]);
        let long = time_ticks(3000.0, 0.0, &Scale::new((0.0, 3000.0), (0.0, 3000.0)), Units::default());
        assert!(long.len() <= 15 && long.iter().any(|tick| tick.label == "00:00 +1 d"));
    }
}
