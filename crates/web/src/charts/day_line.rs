//! The day line: minutes run to the right, SoC upward. Driving falls, charging climbs, fixed minutes are flat, so the width of a
//! stop is its cost. The floor is a line; the road with all its sites lies below on the same scale. Where there is little
//! width it stands upright: the day runs down, a stop is as tall as its minutes.

use jiff::ZonedDateTime;
use serde_json::json;
use spare_hour_core::quantity::units::{ClockFace, Units};
use spare_hour_core::trip::SiteIndex;
use spare_hour_planner::trade::ClockStop;
use spare_hour_planner::trip_timeline::{Doing, Span, TripTimeline};
use spare_hour_planning::ledger::Nearness;
use spare_hour_planning::shown_plan::ShownPlan;

use crate::charts::{Scale, Tick};
use spare_hour_wording::{figures, trips};

/// The wide drawing's frame.
const WIDE: Frame = Frame { left: 46.0, right: 944.0, top: 58.0, bottom: 352.0 };
/// Height of the road under the line.
const ROAD: f64 = 386.0;
/// The upright drawing's frame, whose bottom depends on the length of the day.
const UPRIGHT: Frame = Frame { left: 58.0, right: 190.0, top: 34.0, bottom: 0.0 };
/// Units of the upright drawing for a minute, and its least and most height.
const PER_MINUTE: f64 = 1.3;
const HEIGHTS: (f64, f64) = (420.0, 1_500.0);
/// Width of a letter, about, and least letters that are worth writing.
const LETTER: f64 = 6.5;
const LEAST_LETTERS: usize = 6;
/// Least distance between two names of the upright drawing.
const APART: f64 = 36.0;
/// Letters of a name beside the upright drawing.
const BESIDE: usize = 19;
/// Points of SoC of a charge between two that are read out.
const READ_EVERY: f64 = 4.0;

#[derive(Clone, Copy)]
struct Frame {
    left: f64,
    right: f64,
    top: f64,
    bottom: f64,
}

/// A stretch of the line.
#[derive(Clone, Debug)]
pub(crate) struct Stroke {
    pub(crate) class: &'static str,
    pub(crate) path: String,
}

/// A stop on a drawing: along the day, and across it.
#[derive(Clone, Debug)]
pub(crate) struct StopMark {
    pub(crate) number: usize,
    pub(crate) site: String,
    /// Its name, as far as there is room, and whole.
    pub(crate) name: String,
    pub(crate) whole_name: String,
    pub(crate) minutes: String,
    pub(crate) socs: String,
    /// Where its fixed minutes begin, the charge begins and it is left.
    pub(crate) along: [f64; 3],
    /// Where its name stands, along the day and, on the wide drawing, from the top.
    pub(crate) label_along: f64,
    pub(crate) label_y: f64,
    /// Where the SoC is that it is left with.
    pub(crate) depart: f64,
    pub(crate) held: bool,
    pub(crate) now: String,
    pub(crate) least: String,
    pub(crate) most: String,
    pub(crate) told: String,
}

/// A site on the road.
#[derive(Clone, Debug)]
pub(crate) struct SiteMark {
    pub(crate) along: f64,
    pub(crate) used: bool,
    pub(crate) title: String,
}

/// One of the two drawings.
#[derive(Clone, Debug)]
pub(crate) struct Drawing {
    pub(crate) left: f64,
    pub(crate) right: f64,
    pub(crate) top: f64,
    pub(crate) bottom: f64,
    pub(crate) strokes: Vec<Stroke>,
    /// The line of another plan that is laid under this one.
    pub(crate) other: Option<String>,
    pub(crate) roads: Vec<(f64, f64)>,
    pub(crate) stops: Vec<StopMark>,
    pub(crate) sites: Vec<SiteMark>,
    pub(crate) floor: f64,
    pub(crate) soc_ticks: Vec<Tick>,
    pub(crate) time_ticks: Vec<Tick>,
    pub(crate) arrival: (f64, f64),
    /// Where nine of ten trips like it ended: left, top, width and height.
    pub(crate) near: Option<[f64; 4]>,
}

/// The picture, ready for its templates.
#[derive(Clone, Debug)]
pub(crate) struct DayLine {
    pub(crate) wide: Drawing,
    pub(crate) upright: Drawing,
    pub(crate) road_y: f64,
    /// Minutes that the drawings are long.
    pub(crate) end: f64,
    pub(crate) floor: String,
    pub(crate) arrival: String,
    /// How near plans came so far, in words.
    pub(crate) near: Option<String>,
    pub(crate) told: String,
    /// What is read out at each point of the day, for the script.
    pub(crate) readout: String,
}

impl DayLine {
    /// The picture of a plan, with another laid under it, and with how near plans came so far.
    pub(crate) fn new(shown: &ShownPlan, units: Units, other: Option<&ShownPlan>, near: Option<Nearness>) -> Self {
        let line = |shown: &ShownPlan| TripTimeline::new(&shown.trip, &shown.plan);
        let day = Day { shown, units, timeline: line(shown), other: other.map(line), near };
        let end = day.end();
        let height = (PER_MINUTE * end).clamp(HEIGHTS.0, HEIGHTS.1);
        let upright = Frame { bottom: UPRIGHT.top + height, ..UPRIGHT };
        let soc = (0.0, 100.0);
        let wide_soc = Scale::new(soc, (WIDE.bottom, WIDE.top));
        Self {
            wide: day.drawing(WIDE, &Scale::new((0.0, end), (WIDE.left, WIDE.right)), &wide_soc, true),
            upright: day.drawing(
                upright,
                &Scale::new((0.0, end), (upright.top, upright.bottom)),
                &Scale::new(soc, (upright.left, upright.right)),
                false,
            ),
            road_y: ROAD,
            end,
            floor: figures::percent(shown.trip.goal.floor),
            arrival: figures::percent(shown.plan.arrival),
            near: near.map(|near| trips::near(near.minutes, near.points, near.trips)),
            told: day.told(),
            readout: day.readout(),
        }
    }
}

/// A plan over its day.
struct Day<'a> {
    shown: &'a ShownPlan,
    units: Units,
    timeline: TripTimeline,
    other: Option<TripTimeline>,
    near: Option<Nearness>,
}

impl Day<'_> {
    fn end(&self) -> f64 {
        let late = self.near.map_or(0.0, |near| near.minutes);
        (self.timeline.end() + late).max(self.other.as_ref().map_or(0.0, TripTimeline::end))
    }

    /// Where nine of ten trips like it ended: minutes and SoC from and to.
    fn near(&self) -> Option<[(f64, f64); 2]> {
        let Nearness { minutes, points, .. } = self.near?;
        let (end, arrival) = (self.timeline.end(), self.shown.plan.arrival.get());
        Some([(end - minutes, (arrival + points).min(100.0)), (end + minutes, (arrival - points).max(0.0))])
    }

    fn drawing(&self, frame: Frame, along: &Scale, soc: &Scale, wide: bool) -> Drawing {
        let place = |&(minute, percent): &(f64, f64)| {
            let (along, soc) = (along.at(minute), soc.at(percent));
            if wide { (along, soc) } else { (soc, along) }
        };
        let path = |spans: &[Span]| {
            let points = spans.iter().flat_map(|span| &span.points).map(place);
            points.map(|(x, y)| format!("{x} {y}")).collect::<Vec<_>>().join("L")
        };
        let stroke =
            |span: &Span| Stroke { class: class(span.doing), path: format!("M{}", path(std::slice::from_ref(span))) };
        let driving = self.timeline.spans.iter().filter(|span| span.doing == Doing::Driving);
        let mut stops = self.stops(along, soc);
        if wide {
            name_above(&mut stops, frame);
        } else {
            name_beside(&mut stops, frame);
        }
        Drawing {
            left: frame.left,
            right: frame.right,
            top: frame.top,
            bottom: frame.bottom,
            strokes: self.timeline.spans.iter().map(stroke).collect(),
            other: self.other.as_ref().map(|other| format!("M{}", path(&other.spans))),
            roads: driving.map(|span| (along.at(span.start()), along.at(span.end()))).collect(),
            sites: self.sites(along),
            floor: soc.at(self.shown.trip.goal.floor.get()),
            soc_ticks: (0..=4).map(|i| f64::from(25 * i)).map(|at| tick(soc.at(at), format!("{at:.0}"))).collect(),
            time_ticks: hours(&self.shown.departure, self.end(), along, self.units),
            arrival: place(&(self.timeline.end(), self.shown.plan.arrival.get())),
            near: self.near().map(|ends| {
                let [(x1, y1), (x2, y2)] = ends.map(|end| place(&end));
                [x1.min(x2), y1.min(y2), (x2 - x1).abs(), (y2 - y1).abs()]
            }),
            stops,
        }
    }

    fn stops(&self, along: &Scale, soc: &Scale) -> Vec<StopMark> {
        let trip = &self.shown.trip;
        let mark = |(index, stop): (usize, &ClockStop)| {
            let site = trip.site(stop.site);
            let begun = stop.reached + stop.overhead + stop.wait;
            let (now, arrive, depart) =
                (stop.depart.get(), figures::percent(stop.arrive), figures::percent(stop.depart));
            let ends = [stop.reached, begun, stop.leaves].map(|minutes| along.at(minutes.get()));
            StopMark {
                number: index + 1,
                site: site.id.clone(),
                name: String::new(),
                whole_name: site.name.clone(),
                minutes: figures::duration(stop.leaves - stop.reached),
                socs: format!("{} → {depart}", arrive.trim_end_matches(" %")),
                along: ends,
                label_along: f64::midpoint(ends[0], ends[2]),
                label_y: 0.0,
                depart: soc.at(now),
                held: self.shown.holds(&site.id),
                now: figures::field((now * 10.0).round() / 10.0),
                least: figures::field((stop.arrive.get() * 10.0).ceil() / 10.0),
                most: figures::field(trip.goal.ceiling.get()),
                told: format!("Leave {} with {depart}", site.name),
            }
        };
        self.shown.plan.stops.iter().enumerate().map(mark).collect()
    }

    fn sites(&self, along: &Scale) -> Vec<SiteMark> {
        let used = |index: SiteIndex| self.shown.plan.stops.iter().any(|stop| stop.site == index);
        let mark = |(index, site): (SiteIndex, &spare_hour_core::trip::Site)| SiteMark {
            along: along.at(self.timeline.minute_at(site.at)),
            used: used(index),
            title: format!(
                "{}, at {}, {:.0} kW",
                site.name,
                figures::distance(self.units, site.at),
                site.max_power.get()
            ),
        };
        self.shown.trip.indexed_sites().map(mark).collect()
    }

    /// The picture in words, for those who do not see it.
    fn told(&self) -> String {
        let (trip, plan) = (&self.shown.trip, &self.shown.plan);
        let stop = |stop: &ClockStop| {
            let (arrive, depart) = (figures::percent(stop.arrive), figures::percent(stop.depart));
            format!("{}: from {arrive} to {depart} in {:.0} min", trip.site(stop.site).name, stop.charge.get())
        };
        let stops: Vec<String> = plan.stops.iter().map(stop).collect();
        let at = |minutes: f64| self.shown.moment(minutes).map(|at| figures::day_and_time(self.units, &at));
        format!(
            "State of charge over the day: leaves {} with {}, {}, arrives {} with {}.",
            at(0.0).unwrap_or_default(),
            figures::percent(trip.goal.start),
            if stops.is_empty() { "drives without a stop".to_string() } else { stops.join("; ") },
            at(plan.total.get()).unwrap_or_default(),
            figures::percent(plan.arrival),
        )
    }

    /// Minute, SoC and distance at points of the day, and what is done from each on.
    fn readout(&self) -> String {
        let (mut points, mut doings) = (Vec::new(), Vec::new());
        let distance = self.units.distance;
        for span in &self.timeline.spans {
            let doing = self.doing(span.doing);
            let (start, length) = (span.start(), (span.end() - span.start()).max(1e-9));
            let mut last = f64::NEG_INFINITY;
            for (index, &(minute, soc)) in span.points.iter().enumerate() {
                let end = index + 1 == span.points.len();
                if !end && (soc - last).abs() < READ_EVERY {
                    continue;
                }
                last = soc;
                let km = span.km.0 + (span.km.1 - span.km.0) * (minute - start) / length;
                let place = distance.of(spare_hour_core::quantity::Distance::km(km));
                points.push(json!([tenth(minute), tenth(soc), tenth(place), doings.len()]));
            }
            doings.push(doing);
        }
        let departure = &self.shown.departure;
        json!({
            "points": points, "doing": doings, "unit": distance.name(), "twelve": self.units.clock == ClockFace::Twelve,
            "leaves": 60 * i32::from(departure.hour()) + i32::from(departure.minute()),
        })
        .to_string()
    }

    fn doing(&self, doing: Doing) -> String {
        let name = |site: SiteIndex| &self.shown.trip.site(site).name;
        match doing {
            Doing::Driving => "driving".into(),
            Doing::Waiting(site) => format!("plugging in at {}", name(site)),
            Doing::Charging(site) => format!("charging at {}", name(site)),
            Doing::Standing(site) => format!("standing at {}", name(site)),
            Doing::Paused => "paused at the roadside".into(),
        }
    }
}

fn tenth(value: f64) -> f64 {
    (10.0 * value).round() / 10.0
}

fn tick(at: f64, label: String) -> Tick {
    Tick { at, label }
}

fn class(doing: Doing) -> &'static str {
    match doing {
        Doing::Driving => "drive",
        Doing::Waiting(_) | Doing::Standing(_) | Doing::Paused => "wait",
        Doing::Charging(_) => "charge",
    }
}

/// As many letters of a name as there is room for; none where that would say nothing.
fn shortened(name: &str, letters: usize) -> String {
    if name.chars().count() <= letters {
        return name.to_string();
    }
    if letters < LEAST_LETTERS {
        return String::new();
    }
    let part: String = name.chars().take(letters - 1).collect();
    format!("{}…", part.trim_end())
}

/// Names above the wide drawing, in two rows where one is too narrow.
fn name_above(stops: &mut [StopMark], frame: Frame) {
    let places: Vec<f64> = stops.iter().map(|stop| stop.label_along).collect();
    let wide = |stop: &StopMark| LETTER * (stop.whole_name.chars().count() as f64 + 3.0);
    let tight =
        stops.windows(2).any(|pair| pair[1].label_along - pair[0].label_along < wide(&pair[0]).max(wide(&pair[1])));
    let rows = if tight { 2 } else { 1 };
    for (index, stop) in stops.iter_mut().enumerate() {
        let before = index.checked_sub(rows).map_or(frame.left - 60.0, |before| places[before]);
        let after = places.get(index + rows).copied().unwrap_or(frame.right + 60.0);
        let room = (places[index] - before).min(after - places[index]);
        stop.name = shortened(&stop.whole_name, (room / LETTER - 3.0).max(0.0) as usize);
        let half = LETTER * (stop.name.chars().count() as f64 / 2.0 + 1.5);
        stop.label_along = places[index].clamp((frame.left - 40.0 + half).min(frame.right), frame.right + 10.0 - half);
        stop.label_y = match (rows, index % 2) {
            (1, _) => 18.0,
            (_, 0) => 14.0,
            _ => 34.0,
        };
        if rows == 2 {
            stop.minutes = String::new();
        }
    }
}

/// Names beside the upright drawing, one under another.
fn name_beside(stops: &mut [StopMark], frame: Frame) {
    let mut free = frame.top;
    for stop in stops {
        stop.name = shortened(&stop.whole_name, BESIDE);
        stop.label_along = stop.label_along.max(free);
        free = stop.label_along + APART;
    }
}

/// Marks at full hours of the day, by the clock on the wall; the first of a day names it.
fn hours(departure: &ZonedDateTime, length: f64, along: &Scale, units: Units) -> Vec<Tick> {
    let step = [1.0, 2.0, 3.0, 6.0, 12.0].into_iter().find(|hours| length / 60.0 / hours <= 14.0).unwrap_or(24.0);
    let (mut ticks, mut day) = (Vec::new(), departure.date());
    let mut at = 60.0 - f64::from(departure.minute()) - f64::from(departure.second()) / 60.0;
    if at >= 60.0 {
        at = 0.0;
    }
    while at <= length {
        if let Some(moment) = spare_hour_planning::clock::after(departure, at)
            && f64::from(moment.hour()) % step == 0.0
        {
            let time = units.clock.time(60 * moment.hour() as u32);
            let label = if moment.date() == day { time } else { format!("{} {time}", moment.strftime("%a")) };
            day = moment.date();
            ticks.push(tick(along.at(at), label));
        }
        at += 60.0;
    }
    ticks
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_planning::clock::Here;
    use spare_hour_planning::plan_trip::{Outcome, TripToPlan};

    fn shown() -> ShownPlan {
        let text = include_bytes!("../../../../docs/formats/trip.example.json");
        let file = spare_hour_formats::read_trip_with_wishes(text).unwrap();
        let to_plan = TripToPlan::of_file(file, &Here::of_this_machine()).unwrap();
        let Outcome::Planned(planned) = to_plan.plan(&spare_hour_planner::StopSign::default()) else { panic!() };
        ShownPlan::by_road(&planned, &[])
    }

    #[test]
    fn the_length_of_a_stop_is_its_cost_on_both_drawings() {
        let shown = shown();
        let line = DayLine::new(&shown, Units::default(), None, None);
        for (drawing, length) in
            [(&line.wide, WIDE.right - WIDE.left), (&line.upright, line.upright.bottom - line.upright.top)]
        {
            let per_minute = length / shown.plan.total.get();
            assert_eq!(drawing.stops.len(), shown.plan.stops.len());
            for (mark, stop) in drawing.stops.iter().zip(&shown.plan.stops) {
                assert!((mark.along[1] - mark.along[0] - per_minute * stop.overhead.get()).abs() < 0.2);
                assert!((mark.along[2] - mark.along[1] - per_minute * stop.charge.get()).abs() < 0.2);
            }
            assert_eq!(drawing.sites.iter().filter(|site| site.used).count(), shown.plan.stops.len());
        }
        for (mark, stop) in line.wide.stops.iter().zip(&shown.plan.stops) {
            let height = (WIDE.bottom - mark.depart) / (WIDE.bottom - WIDE.top) * 100.0;
            assert!((height - stop.depart.get()).abs() < 0.1);
        }
        assert!(line.told.contains("Further on: from 27 % to 54 % in 7 min"), "{}", line.told);
    }

    #[test]
    fn what_is_read_out_is_what_the_plan_does() {
        let shown = shown();
        let readout: serde_json::Value =
            serde_json::from_str(&DayLine::new(&shown, Units::default(), None, None).readout).unwrap();
        let points = readout["points"].as_array().unwrap();
        let (first, last) = (&points[0], &points[points.len() - 1]);
        assert_eq!((first[1].as_f64(), first[2].as_f64()), (Some(shown.trip.goal.start.get()), Some(0.0)));
        assert!((last[0].as_f64().unwrap() - shown.plan.total.get()).abs() < 0.1, "{last}");
        assert!((last[2].as_f64().unwrap() - shown.trip.route.length().get()).abs() < 0.1, "{last}");
        for stop in &shown.plan.stops {
            let left = points.iter().find(|point| (point[0].as_f64().unwrap() - stop.leaves.get()).abs() < 0.06);
            let soc = left.and_then(|point| point[1].as_f64()).expect("the moment it leaves is a point");
            assert!((soc - stop.depart.get()).abs() < 0.06);
        }
    }

    #[test]
    fn names_stay_readable_however_many_and_long() {
        assert_eq!(shortened("Kittle Bridge, Quern", 25), "Kittle Bridge, Quern");
        assert_eq!(shortened("Kittle Bridge, Quern", 10), "Kittle Br…");
        assert_eq!(shortened("Kittle Bridge, Quern", 3), "");
        let stop = |index: usize| StopMark {
            number: index + 1,
            site: String::new(),
            name: String::new(),
            whole_name: "A name that nobody would write on a stall by hand".into(),
            minutes: String::new(),
            socs: String::new(),
            along: [0.0; 3],
            label_along: 80.0 + 65.0 * index as f64,
            label_y: 0.0,
            depart: 0.0,
            held: false,
            now: String::new(),
            least: String::new(),
            most: String::new(),
            told: String::new(),
        };
        let mut stops: Vec<StopMark> = (0..13).map(stop).collect();
        name_above(&mut stops, WIDE);
        for pair in stops.windows(3) {
            // Those in one row do not touch.
            let half = |stop: &StopMark| LETTER * (stop.name.chars().count() as f64 / 2.0 + 1.5);
            assert!(pair[2].label_along - pair[0].label_along >= half(&pair[0]) + half(&pair[2]) - 1.0);
        }
        name_beside(&mut stops, Frame { bottom: 600.0, ..UPRIGHT });
        assert!(stops.windows(2).all(|pair| pair[1].label_along - pair[0].label_along >= APART));
    }

    #[test]
    fn hours_are_marked_where_the_clock_shows_them() {
        let at = |text: &str| text.parse::<ZonedDateTime>().unwrap();
        let scale = Scale::new((0.0, 300.0), (0.0, 300.0));
        let marks = |departure: &str, length: f64| -> Vec<(f64, String)> {
            let ticks = hours(&at(departure), length, &scale, Units::default());
            ticks.into_iter().map(|tick| (tick.at, tick.label)).collect()
        };
        let morning = marks("2026-12-18T08:10[Europe/Lisbon]", 300.0);
        let wanted = [(50.0, "09:00"), (110.0, "10:00"), (170.0, "11:00"), (230.0, "12:00"), (290.0, "13:00")];
        assert_eq!(morning, wanted.map(|(at, label)| (at, label.to_string())));
        // Clocks go forward at one in Lisbon on that night: two o'clock follows an hour after midnight.
        let spring = marks("2026-03-28T23:30[Europe/Lisbon]", 200.0);
        let wanted = [(30.0, "Sun 00:00"), (90.0, "02:00"), (150.0, "03:00")];
        assert_eq!(spring, wanted.map(|(at, label)| (at, label.to_string())));
        assert!(marks("2026-12-18T08:10[Europe/Lisbon]", 3_000.0).len() <= 15);
    }
}
