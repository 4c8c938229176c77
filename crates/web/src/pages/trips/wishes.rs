//! What a driver wishes of a trip beside its goal: the form, and the touches of a stop's card. What is kept is what is shown.

use std::collections::HashMap;

use axum::Form;
use axum::extract::State;
use axum::response::Redirect;
use jiff::civil::{Time, time};
use serde::Deserialize;
use spare_hour_core::charging::ac_charge::Post;
use spare_hour_core::quantity::units::ClockFace;
use spare_hour_core::quantity::{Current, Minutes, Soc, Voltage};
use spare_hour_core::trip::Site;
use spare_hour_core::trip::wishes::{Facility, Neighbours, Pause, SiteWishes, Wishes};
use spare_hour_formats::write_wishes;
use spare_hour_planning::drive_trip::kept_wishes;
use spare_hour_store::{Store, TripClock};
use spare_hour_wording::figures;

use crate::app::App;
use crate::forms::control::Ask;
use crate::forms::field::Field;
use crate::http::address::Path;
use crate::http::error::WebError;

/// Pauses of the form.
const ROWS: usize = 3;
/// What a night and a meal are, where a touch asks for one: minutes, and the hours in which they begin.
const NIGHT: (f64, i8, i8) = (540.0, 20, 23);
const MEAL: (f64, i8, i8) = (45.0, 11, 14);
/// A lunch: its name, minutes, and between when it begins.
const LUNCH: (&str, f64, Time, Time) = ("lunch", 45.0, Time::constant(11, 30, 0, 0), Time::constant(13, 0, 0, 0));
/// Longest at the wheel, and how long to stand then, min (common practice, no published source).
const RESTS: (f64, f64) = (120.0, 20.0);
/// How long one stays where a touch asks for that, min.
const STAY: f64 = 45.0;
/// Facilities of the form: word and label.
const NEEDS: [(&str, &str); 4] =
    [("", "anywhere one stops"), ("eat", "where one can eat"), ("sleep", "sleep"), ("rest", "rest")];

/// The fields of the form, by name.
pub(crate) type WishFields = HashMap<String, String>;

/// The form, as it was kept or filled in.
pub(super) struct WishForm {
    pub(super) pauses: Vec<PauseRow>,
    pub(super) numbers: Vec<(&'static str, &'static str, Field)>,
    pub(super) sites: Vec<SiteRow>,
    pub(super) members: Vec<(String, bool)>,
    /// Word, label, whether chosen.
    pub(super) neighbours: [(&'static str, &'static str, bool); 3],
    pub(super) departure: Field,
    pub(super) time_zone: Field,
    /// What one press asks of the whole trip: word, label, whether it is asked.
    pub(super) quick: [(&'static str, &'static str, bool); 2],
}

/// A pause.
pub(super) struct PauseRow {
    pub(super) index: usize,
    pub(super) name: Field,
    pub(super) minutes: Field,
    pub(super) from: Field,
    pub(super) to: Field,
    pub(super) needs: Vec<(&'static str, &'static str, bool)>,
    pub(super) anywhere: bool,
}

/// A site.
pub(super) struct SiteRow {
    pub(super) name: String,
    /// Word, label, whether chosen.
    pub(super) use_it: [(&'static str, &'static str, bool); 3],
    pub(super) has: [(&'static str, bool); 3],
    pub(super) post: Field,
    pub(super) leave: Field,
    pub(super) stay: Field,
    pub(super) between: Field,
}

impl WishForm {
    /// The form of what is kept.
    pub(super) fn of(clock: &TripClock, wishes: &Wishes, sites: &[Site], members: &[String], face: ClockFace) -> Self {
        let blank = Pause {
            name: String::new(),
            length: Minutes::new(0.0),
            from: time(11, 30, 0, 0),
            to: time(14, 0, 0, 0),
            needs: None,
            anywhere: false,
            taken: false,
        };
        let rows = wishes.pauses.len().max(ROWS);
        let pause = |index: usize| PauseRow::of(index, wishes.pauses.get(index), &blank, face);
        let number = |number: Option<f64>| Field::new(number.map(figures::field).unwrap_or_default());
        Self {
            pauses: (0..rows).map(pause).collect(),
            numbers: vec![
                ("most_drive", "Longest at the wheel, min", number(wishes.most_drive.map(Minutes::get))),
                ("rest", "then stand, min", number(wishes.rest.map(Minutes::get))),
                ("most_stops", "Most stops", number(wishes.most_stops.map(f64::from))),
                ("most_cost", "At most so much money", number(wishes.most_cost)),
                ("most_min", "At most so many minutes", number(wishes.most_time.map(Minutes::get))),
            ],
            sites: sites.iter().map(|site| SiteRow::of(site, wishes, face)).collect(),
            members: members.iter().map(|name| (name.clone(), wishes.members.contains(name))).collect(),
            neighbours: Neighbours::ALL.map(|one| (one.name(), counted_on(one), one == wishes.neighbours)),
            departure: Field::new(clock.departure.clone().unwrap_or_default()),
            time_zone: Field::new(clock.time_zone.clone().unwrap_or_default()),
            quick: [
                ("lunch", "Lunch, 45 min at noon", has_lunch(wishes)),
                ("rests", "20 min of rest every 2 h", wishes.most_drive.is_some()),
            ],
        }
    }
}

fn counted_on(neighbours: Neighbours) -> &'static str {
    match neighbours {
        Neighbours::Hope => "nobody else charges",
        Neighbours::Half => "a neighbour takes half",
        Neighbours::Worst => "every stall is taken",
    }
}

impl PauseRow {
    fn of(index: usize, kept: Option<&Pause>, blank: &Pause, face: ClockFace) -> Self {
        let pause = kept.unwrap_or(blank);
        let clock = |at: jiff::civil::Time| Field::new(face.time(60 * at.hour() as u32 + at.minute() as u32));
        let needs = pause.needs.map_or("", Facility::name);
        Self {
            index,
            name: Field::new(pause.name.clone()),
            minutes: Field::new(kept.map(|pause| figures::field(pause.length.get())).unwrap_or_default()),
            from: clock(pause.from),
            to: clock(pause.to),
            needs: NEEDS.map(|(word, label)| (word, label, word == needs)).to_vec(),
            anywhere: pause.anywhere,
        }
    }
}

impl SiteRow {
    fn of(site: &Site, wishes: &Wishes, face: ClockFace) -> Self {
        let known = wishes.sites.get(&site.id).cloned().unwrap_or_default();
        let (avoided, visited) = (wishes.avoid.contains(&site.id), wishes.visit.contains(&site.id));
        let post = known.post.map(|post| {
            let [volts, amps] = [post.voltage.get(), post.current.get()].map(figures::field);
            format!("{} × {volts} V × {amps} A", post.phases)
        });
        let leave = wishes.leave.iter().find(|(id, _)| *id == site.id).map(|(_, soc)| figures::field(soc.get()));
        let stay = wishes.stay.iter().find(|(id, _)| *id == site.id).map(|(_, stay)| figures::field(stay.get()));
        let clock = |at: jiff::civil::Time| face.time(60 * at.hour() as u32 + at.minute() as u32);
        let between = wishes.between.iter().find(|(id, ..)| *id == site.id);
        let between = between.map(|&(_, from, to)| format!("{} to {}", clock(from), clock(to)));
        Self {
            name: site.name.clone(),
            between: Field::new(between.unwrap_or_default()),
            use_it: [
                ("", "as planned", !avoided && !visited),
                ("avoid", "avoid", avoided),
                ("visit", "must stop", visited),
            ],
            has: [Facility::Eat, Facility::Sleep, Facility::Rest].map(|has| (has.name(), known.has.contains(&has))),
            post: Field::new(post.unwrap_or_default()),
            leave: Field::new(leave.unwrap_or_default()),
            stay: Field::new(stay.unwrap_or_default()),
        }
    }
}

/// What is typed in the form.
struct Typed<'f> {
    fields: &'f WishFields,
    faults: Vec<String>,
}

impl Typed<'_> {
    fn text(&self, name: &str) -> &str {
        self.fields.get(name).map(|text| text.trim()).unwrap_or_default()
    }

    fn number(&mut self, name: &str, label: &str, low: f64, high: f64) -> Option<f64> {
        let mut field = Field::new(self.text(name));
        let number = field.number(low, high, "");
        self.faults.extend(field.fault.map(|fault| format!("{label}: {fault}")));
        number
    }

    fn time(&mut self, name: &str, label: &str) -> Option<jiff::civil::Time> {
        let mut field = Field::new(self.text(name));
        let minutes = field.time();
        self.faults.extend(field.fault.map(|fault| format!("{label}: {fault}")));
        minutes.map(|minutes| time((minutes / 60 % 24) as i8, (minutes % 60) as i8, 0, 0))
    }

    fn pauses(&mut self) -> Vec<Pause> {
        let mut pauses = Vec::new();
        for index in 0..spare_hour_core::trip::wishes::MOST_PAUSES {
            let key = |name: &str| format!("{name}-{index}");
            let name = self.text(&key("pause")).to_string();
            let Some(minutes) = self.number(&key("minutes"), "Pause", 1.0, 2_880.0) else { continue };
            let (from, to) = (self.time(&key("from"), "Pause from"), self.time(&key("to"), "Pause to"));
            let needs = Facility::of_name(self.text(&key("needs")));
            let anywhere = self.fields.contains_key(&key("anywhere"));
            if let (Some(from), Some(to)) = (from, to) {
                let name = if name.is_empty() { format!("pause {}", index + 1) } else { name };
                pauses.push(Pause { name, length: Minutes::new(minutes), from, to, needs, anywhere, taken: false });
            }
        }
        pauses
    }

    fn post(&mut self, name: &str, site: &str) -> Option<Post> {
        let text = self.text(name).to_string();
        if text.is_empty() {
            return None;
        }
        let post = read_post(&text);
        if post.is_none() {
            self.faults.push(format!("{site}: “{text}” is no post; expected such as 1 × 230 V × 32 A"));
        }
        post
    }

    /// Two times of day, such as `14:00 to 15:30`.
    fn between(&mut self, name: &str, site: &str) -> Option<(jiff::civil::Time, jiff::civil::Time)> {
        let text = self.text(name).to_string();
        if text.is_empty() {
            return None;
        }
        let time = |text: &str| {
            let minutes = Field::new(text).time()?;
            Some(time((minutes / 60 % 24) as i8, (minutes % 60) as i8, 0, 0))
        };
        let parts = text.split_once(" to ").or_else(|| text.split_once(['–', '-']));
        let between = parts.and_then(|(from, to)| Some((time(from.trim())?, time(to.trim())?)));
        if between.is_none() {
            self.faults.push(format!("{site}: “{text}” is no two times of day; expected such as 14:00 to 15:30"));
        }
        between
    }

    fn site(&mut self, index: usize, site: &Site, wishes: &mut Wishes) {
        let key = |name: &str| format!("{name}-site-{index}");
        match self.text(&key("use")) {
            "avoid" => wishes.avoid.push(site.id.clone()),
            "visit" => wishes.visit.push(site.id.clone()),
            _ => {}
        }
        let has = [Facility::Eat, Facility::Sleep, Facility::Rest].into_iter();
        let has: Vec<Facility> = has.filter(|has| self.fields.contains_key(&key(has.name()))).collect();
        let post = self.post(&key("post"), &site.name);
        let zone = wishes.sites.remove(&site.id).and_then(|known| known.zone);
        if post.is_some() || !has.is_empty() || zone.is_some() {
            wishes.sites.insert(site.id.clone(), SiteWishes { post, has, zone });
        }
        let leave = self.number(&key("leave"), &site.name, 0.0, 100.0);
        wishes.leave.extend(leave.map(|soc| (site.id.clone(), Soc::percent(soc))));
        wishes.between.extend(self.between(&key("between"), &site.name).map(|(from, to)| (site.id.clone(), from, to)));
        let stay = self.number(&key("stay"), &site.name, 1.0, 2_880.0);
        wishes.stay.extend(stay.map(|stay| (site.id.clone(), Minutes::new(stay))));
    }
}

/// A post such as `1 × 230 V × 32 A`, in any spelling of three numbers.
fn read_post(text: &str) -> Option<Post> {
    let words = text.split(|c: char| !(c.is_ascii_digit() || c == '.' || c == ','));
    let numbers: Vec<f64> = words.filter_map(|word| word.replace(',', ".").parse().ok()).collect();
    let [phases, volts, amps] = numbers[..] else { return None };
    let fits = [1.0, 2.0, 3.0].contains(&phases) && (50.0..=500.0).contains(&volts) && (1.0..=200.0).contains(&amps);
    fits.then(|| Post { phases: phases as u32, voltage: Voltage::volts(volts), current: Current::amps(amps) })
}

/// The wishes that a form asks for, or what is wrong in it. What the form does not show stays.
fn read_form(fields: &WishFields, kept: &Wishes, sites: &[Site]) -> Result<Wishes, Vec<String>> {
    let mut typed = Typed { fields, faults: Vec::new() };
    let mut wishes = Wishes {
        pauses: typed.pauses(),
        most_drive: typed.number("most_drive", "Longest at the wheel", 10.0, 10_080.0).map(Minutes::new),
        rest: typed.number("rest", "Then stand", 1.0, 10_080.0).map(Minutes::new),
        most_stops: typed.number("most_stops", "Most stops", 0.0, 1_000.0).map(|most| most.round() as u32),
        most_cost: typed.number("most_cost", "Most money", 0.0, 1e7),
        most_time: typed.number("most_min", "Most minutes", 1.0, 1e6).map(Minutes::new),
        neighbours: Neighbours::of_name(typed.text("neighbours")).unwrap_or(kept.neighbours),
        members: fields.keys().filter_map(|name| name.strip_prefix("member-")).map(Into::into).collect(),
        avoid: Vec::new(),
        visit: Vec::new(),
        leave: Vec::new(),
        stay: Vec::new(),
        between: Vec::new(),
        ..kept.clone()
    };
    wishes.members.sort();
    for (index, site) in sites.iter().enumerate() {
        typed.site(index, site, &mut wishes);
    }
    if wishes.most_drive.is_some() && wishes.rest.is_none() {
        typed.faults.push("Then stand: needed with the longest time at the wheel".into());
    }
    if typed.faults.is_empty() { Ok(wishes) } else { Err(typed.faults) }
}

/// Keeps the wishes of the form.
pub(crate) async fn keep(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(fields): Form<WishFields>,
) -> Result<Redirect, WebError> {
    let zone = app.here.zone().iana_name().map(ToString::to_string);
    app.change(move |store| {
        let (sites, clock) = (store.trip(id)?.about.sites, store.trip_clock(id)?);
        let wishes = read_form(&fields, &kept_wishes(&clock, id)?, &sites);
        let wishes = wishes.map_err(|faults| WebError::Refused(format!("Nothing was kept. {}.", faults.join(". "))))?;
        let clock = with_departure(&fields, clock, zone)?;
        keep_wishes(store, id, clock, &wishes)
    })
    .await?;
    Ok(Redirect::to(&format!("/trips/{id}?kept=1")))
}

/// The departure and zone of a form; what is left empty is as before.
fn with_departure(fields: &WishFields, clock: TripClock, zone: Option<String>) -> Result<TripClock, WebError> {
    let text = |name: &str| fields.get(name).map(|text| text.trim().to_string()).filter(|text| !text.is_empty());
    let departure = text("departure");
    let works = |text: &String| text.parse::<jiff::civil::DateTime>().is_ok();
    if let Some(wrong) = departure.as_ref().filter(|text| !works(text)) {
        let expected = "expected such as 2026-12-18T07:30";
        return Err(WebError::Refused(format!("Nothing was kept. “{wrong}” is no departure; {expected}.")));
    }
    let time_zone = text("time_zone");
    if let Some(wrong) = time_zone.as_ref().filter(|name| jiff::tz::TimeZone::get(name).is_err()) {
        let expected = "expected an IANA name such as Europe/Lisbon";
        return Err(WebError::Refused(format!("Nothing was kept. “{wrong}” is no time zone; {expected}.")));
    }
    let zone = time_zone.or(clock.time_zone.clone()).or(zone.filter(|_| departure.is_some()));
    Ok(TripClock { departure, time_zone: zone, ..clock })
}

pub(super) fn keep_wishes(store: &Store, id: i32, clock: TripClock, wishes: &Wishes) -> Result<(), WebError> {
    let wishes = (!is_nothing(wishes)).then(|| write_wishes(wishes));
    Ok(store.keep_trip_clock(id, &TripClock { wishes, ..clock })?)
}

/// Whether nothing at all is said, not even of what a site has.
fn is_nothing(wishes: &Wishes) -> bool {
    wishes.is_empty() && wishes.sites.values().all(|site| site.has.is_empty())
}

/// A touch of a stop's card.
#[derive(Debug, Deserialize)]
pub(crate) struct TouchForm {
    /// The site that is touched; empty where the whole trip is.
    #[serde(default)]
    site: String,
    what: String,
    /// What the page that was touched asks of the trip.
    #[serde(default)]
    back: String,
}

/// Does what a touch of a stop's card asks.
pub(crate) async fn touch(
    State(app): State<App>,
    Path(id): Path<i32>,
    Form(form): Form<TouchForm>,
) -> Result<Redirect, WebError> {
    let back = Ask::of_query(&form.back).without_all(&["kept", "pick"]);
    app.change(move |store| {
        let (sites, clock) = (store.trip(id)?.about.sites, store.trip_clock(id)?);
        let mut wishes = kept_wishes(&clock, id)?;
        match (form.site.is_empty(), sites.iter().find(|site| site.id == form.site)) {
            (true, _) => of_the_trip(&mut wishes, &form.what)?,
            (false, Some(site)) => touched(&mut wishes, &site.id, &form.what)?,
            (false, None) => return Err(WebError::Missing("There is no such site any more.".into())),
        }
        keep_wishes(store, id, clock, &wishes)
    })
    .await?;
    Ok(Redirect::to(&format!("/trips/{id}?{back}&kept=1")))
}

/// The wishes after a touch of the whole trip, which takes back what it did: `lunch`, `rests`.
fn of_the_trip(wishes: &mut Wishes, what: &str) -> Result<(), WebError> {
    match what {
        "lunch" if has_lunch(wishes) => wishes.pauses.retain(|pause| pause.name != LUNCH.0),
        "lunch" => wishes.pauses.push(Pause {
            name: LUNCH.0.into(),
            length: Minutes::new(LUNCH.1),
            from: LUNCH.2,
            to: LUNCH.3,
            needs: None,
            anywhere: false,
            taken: false,
        }),
        "rests" if wishes.most_drive.is_some() => (wishes.most_drive, wishes.rest) = (None, None),
        "rests" => (wishes.most_drive, wishes.rest) = (Some(Minutes::new(RESTS.0)), Some(Minutes::new(RESTS.1))),
        other => return Err(WebError::Refused(format!("“{other}” is nothing that a trip can do."))),
    }
    Ok(())
}

/// Stands at a site for so many minutes at least.
fn stay(wishes: &mut Wishes, site: &str, minutes: f64) {
    wishes.stay.retain(|(id, _)| id != site);
    wishes.stay.push((site.into(), Minutes::new(minutes)));
}

/// Whether a lunch is among the pauses.
fn has_lunch(wishes: &Wishes) -> bool {
    wishes.pauses.iter().any(|pause| pause.name == LUNCH.0)
}

/// The wishes after a touch at a site: `avoid`, `visit`, `free`, `sleep`, `eat`, `leave:62.5`, `stay:45`.
fn touched(wishes: &mut Wishes, site: &str, what: &str) -> Result<(), WebError> {
    let without = |ids: &mut Vec<String>| ids.retain(|id| id != site);
    let has = |wishes: &mut Wishes, facility: Facility| {
        let known = wishes.sites.entry(site.into()).or_default();
        if !known.has.contains(&facility) {
            known.has.push(facility);
        }
        wishes.avoid.retain(|id| id != site);
        if !wishes.visit.iter().any(|id| id == site) {
            wishes.visit.push(site.into());
        }
    };
    match what {
        "avoid" => {
            without(&mut wishes.visit);
            without(&mut wishes.avoid);
            wishes.avoid.push(site.into());
        }
        "visit" => {
            without(&mut wishes.avoid);
            without(&mut wishes.visit);
            wishes.visit.push(site.into());
        }
        "free" => {
            without(&mut wishes.avoid);
            without(&mut wishes.visit);
            wishes.leave.retain(|(id, _)| id != site);
            wishes.stay.retain(|(id, _)| id != site);
            wishes.between.retain(|(id, ..)| id != site);
        }
        // Whoever stands here as long as that takes its pause here, and at no other place.
        "sleep" => {
            has(wishes, Facility::Sleep);
            add_pause(wishes, "night", NIGHT, Facility::Sleep);
            stay(wishes, site, NIGHT.0);
        }
        "eat" => {
            has(wishes, Facility::Eat);
            add_pause(wishes, "meal", MEAL, Facility::Eat);
            stay(wishes, site, MEAL.0);
        }
        "stay:45" => {
            stay(wishes, site, STAY);
            without(&mut wishes.avoid);
            without(&mut wishes.visit);
            wishes.visit.push(site.into());
        }
        other => {
            let soc = other.strip_prefix("leave:").and_then(|soc| soc.parse::<f64>().ok());
            let soc = soc.filter(|soc| (0.0..=100.0).contains(soc));
            let soc = soc.ok_or_else(|| WebError::Refused(format!("“{other}” is nothing that a stop can do.")))?;
            wishes.leave.retain(|(id, _)| id != site);
            wishes.leave.push((site.into(), Soc::percent(soc)));
            without(&mut wishes.avoid);
        }
    }
    Ok(())
}

/// A pause of its kind, unless there is one.
fn add_pause(wishes: &mut Wishes, name: &str, (minutes, from, to): (f64, i8, i8), needs: Facility) {
    if wishes.pauses.iter().any(|pause| pause.needs == Some(needs)) {
        return;
    }
    let (from, to) = (time(from, 0, 0, 0), time(to, 0, 0, 0));
    let length = Minutes::new(minutes);
    wishes.pauses.push(Pause {
        name: name.into(),
        length,
        from,
        to,
        needs: Some(needs),
        anywhere: false,
        taken: false,
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_formats::read_trip;

    fn sites() -> Vec<Site> {
        read_trip(include_bytes!("../../../../../docs/formats/trip.example.json")).unwrap().sites.clone()
    }

    fn fields(pairs: &[(&str, &str)]) -> WishFields {
        pairs.iter().map(|(name, text)| ((*name).to_string(), (*text).to_string())).collect()
    }

    #[test]
    fn a_form_is_read_and_shown_again() {
        let sites = sites();
        let typed = fields(&[
            ("pause-0", "lunch"),
            ("minutes-0", "45"),
            ("from-0", "11:30"),
            ("to-0", "1:30 pm"),
            ("needs-0", "eat"),
            ("most_stops", "4"),
            ("use-site-0", "visit"),
            ("eat-site-0", "on"),
            ("post-site-0", "3x230x16"),
            ("leave-site-0", "62,5"),
            ("member-Club", "on"),
            ("between-site-1", "2 pm - 15:30"),
            ("neighbours", "worst"),
        ]);
        let wishes = read_form(&typed, &Wishes::default(), &sites).unwrap();
        assert_eq!((wishes.pauses[0].to, wishes.most_stops), (time(13, 30, 0, 0), Some(4)));
        assert_eq!((&wishes.visit[..], &wishes.members[..]), (&[sites[0].id.clone()][..], &["Club".to_string()][..]));
        assert_eq!(wishes.leave, [(sites[0].id.clone(), Soc::percent(62.5))]);
        assert_eq!(wishes.between, [(sites[1].id.clone(), time(14, 0, 0, 0), time(15, 30, 0, 0))]);
        assert_eq!(wishes.neighbours, Neighbours::Worst);
        let club = ["Club".to_string()];
        let shown = WishForm::of(&TripClock::default(), &wishes, &sites, &club, ClockFace::TwentyFour);
        assert_eq!((shown.pauses[0].to.text.as_str(), shown.pauses.len()), ("13:30", ROWS));
        assert_eq!(shown.sites[0].post.text, "3 × 230 V × 16 A");
        assert_eq!(shown.sites[1].between.text, "14:00 to 15:30");
        assert!(shown.members[0].1 && shown.sites[0].use_it[2].2 && shown.sites[1].use_it[0].2);
    }

    #[test]
    fn what_is_wrong_is_named_and_nothing_is_taken_for_nothing() {
        let wrong = fields(&[
            ("minutes-0", "45"),
            ("from-0", "noonish"),
            ("most_drive", "120"),
            ("post-site-1", "strong"),
            ("between-site-0", "at noon"),
        ]);
        let faults = read_form(&wrong, &Wishes::default(), &sites()).unwrap_err();
        assert_eq!(faults.len(), 4, "{faults:?}");
        assert!(
            faults[0].starts_with("Pause from: “noonish”")
                && faults[1].contains("“at noon” is no two times of day")
                && faults[2].contains("“strong” is no post"),
            "{faults:?}"
        );
        assert!(is_nothing(&read_form(&fields(&[]), &Wishes::default(), &sites()).unwrap()));
    }

    #[test]
    fn touches_do_one_thing_and_can_be_taken_back() {
        let mut wishes = Wishes::default();
        for what in ["avoid", "visit", "leave:60", "sleep", "sleep"] {
            touched(&mut wishes, "a", what).unwrap();
        }
        assert!(wishes.avoid.is_empty() && wishes.visit == ["a"] && wishes.pauses.len() == 1);
        assert_eq!((wishes.leave.len(), wishes.sites["a"].has.clone()), (1, vec![Facility::Sleep]));
        touched(&mut wishes, "a", "free").unwrap();
        assert!(wishes.visit.is_empty() && wishes.leave.is_empty());
        assert!(touched(&mut wishes, "a", "fly").is_err());
    }
}
