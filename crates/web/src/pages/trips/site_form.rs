//! The form of one charging site: what was typed, and the site that it makes.

use std::collections::HashMap;

use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Current, Distance, Minutes, Power};
use spare_hour_core::trip::opening_hours::OpeningHours;
use spare_hour_core::trip::site_details::{Connector, MOST_TEXT, SiteDetails};
use spare_hour_core::trip::{Price, Site};
use spare_hour_formats::connectors;

use super::places::{OFF_ROUTE, OVERHEAD, off_route};
use crate::forms::field::Field;
use crate::forms::seen::mark;
use spare_hour_wording::figures;

/// The most a price may be.
const MOST_PRICE: f64 = 1_000.0;

/// A field of the form: its name, its label, whether it is a number, and what stands in it.
pub(super) struct SiteField {
    pub(super) name: &'static str,
    pub(super) label: String,
    pub(super) number: bool,
    pub(super) field: Field,
}

/// The form.
pub(super) struct SiteForm {
    /// The site that it changes; empty for a new one.
    pub(super) id: String,
    /// How it was when the form was shown.
    pub(super) seen: String,
    pub(super) fields: Vec<SiteField>,
    units: Units,
}

/// Names, labels and whether they are numbers. `{km}` and `{km/h}` stand for the person's units.
const FIELDS: [(&str, &str, bool); 19] = [
    ("name", "Name", false),
    ("at", "Along the road, {km}", true),
    ("off", "Way off the road, {km}", true),
    ("off_speed", "Speed on that way, {km/h}", true),
    ("max_kw", "Maximum power, kW", true),
    ("max_a", "Maximum current, A", true),
    ("overhead", "Fixed minutes of a stop", true),
    ("wait", "of these a wait for a stall, min", true),
    ("per_kwh", "Price a kWh", true),
    ("per_min", "Price a minute", true),
    ("per_session", "Price a stop", true),
    ("stalls", "Stalls", true),
    ("out_of_order", "Out of order when last seen", true),
    ("cabinet", "Stalls that share one cabinet", true),
    ("hours", "Open, such as Mo-Fr 06:00-22:00", false),
    ("facilities", "What one can do there", false),
    ("connectors", "Connectors, such as 4 × IEC_62196_T2_COMBO 150 kW", false),
    ("note", "Note", false),
    ("place", "or its latitude, longitude", false),
];

impl SiteForm {
    fn new(id: String, units: Units, text: impl Fn(&str) -> String) -> Self {
        let label =
            |label: &str| label.replace("{km/h}", units.distance.speed_name()).replace("{km}", units.distance.name());
        let field = |(name, said, number): (&'static str, &str, bool)| SiteField {
            name,
            label: label(said),
            number,
            field: Field::new(text(name)),
        };
        Self { id, seen: String::new(), fields: FIELDS.into_iter().map(field).collect(), units }
    }

    /// The form of a new site.
    pub(super) fn empty(units: Units) -> Self {
        Self::new(String::new(), units, |name| match name {
            "off" => "0".into(),
            "off_speed" => figures::field(units.distance.of_speed(OFF_ROUTE).round()),
            "overhead" => figures::field(OVERHEAD.get()),
            _ => String::new(),
        })
    }

    /// The form of a site as it is.
    pub(super) fn of(site: &Site, units: Units) -> Self {
        let details = &site.details;
        let count = |count: Option<u32>| count.map(|count| count.to_string()).unwrap_or_default();
        let price = |number: f64| if number > 0.0 { figures::field(number) } else { String::new() };
        let lines: Vec<String> = details.connectors.iter().map(ToString::to_string).collect();
        let text = |name: &str| match name {
            "name" => site.name.clone(),
            "at" => figures::field(units.distance.of(site.at)),
            "off" => figures::field(units.distance.of(site.off_route)),
            "off_speed" => figures::field(units.distance.of_speed(site.off_route_speed)),
            "max_kw" => figures::field(site.max_power.get()),
            "max_a" => site.max_current.map(|current| figures::field(current.get())).unwrap_or_default(),
            "overhead" => figures::field(site.overhead.get()),
            "wait" => price(details.wait.get()),
            "per_kwh" => price(site.price.per_kwh),
            "per_min" => price(site.price.per_min),
            "per_session" => price(site.price.per_session),
            "stalls" => count(details.stalls),
            "out_of_order" => count(details.out_of_order),
            "cabinet" => count(details.cabinet),
            "hours" => details.hours.as_ref().map(|hours| hours.told(units.clock)).unwrap_or_default(),
            "facilities" => details.facilities.clone().unwrap_or_default(),
            "connectors" => lines.join("; "),
            "note" => details.note.clone().unwrap_or_default(),
            _ => String::new(),
        };
        Self { seen: mark(site), ..Self::new(site.id.clone(), units, text) }
    }

    /// The form as it was sent.
    pub(super) fn sent(mut sent: HashMap<String, String>, units: Units) -> Self {
        let id = sent.remove("id").unwrap_or_default();
        let seen = sent.remove("seen").unwrap_or_default();
        Self { seen, ..Self::new(id, units, |name| sent.get(name).cloned().unwrap_or_default()) }
    }

    fn field(&mut self, name: &str) -> &mut Field {
        let at = FIELDS.iter().position(|field| field.0 == name).unwrap_or_default();
        &mut self.fields[at].field
    }

    fn number(&mut self, name: &str, low: f64, high: f64, unit: &str) -> Option<f64> {
        self.field(name).number(low, high, unit)
    }

    fn count(&mut self, name: &str) -> Option<u32> {
        self.number(name, 0.0, 10_000.0, "").map(|number| number.round() as u32)
    }

    fn text(&mut self, name: &str) -> Option<String> {
        let field = self.field(name);
        if field.text.trim().is_empty() { None } else { field.words(MOST_TEXT) }
    }

    fn is_wrong(&self) -> bool {
        self.fields.iter().any(|field| field.field.fault.is_some())
    }

    /// The site of the form along a road of a length, beside its track if there is one; `None` leaves what is wrong in the fields.
    pub(super) fn read(&mut self, length: Distance, track: Option<&Track>, taken: &[String]) -> Option<Site> {
        let units = self.units;
        let name = self.field("name").words(80);
        let beside = self.beside(track);
        let typed = self.field("off").distance(units, 0.0, 1_000.0).unwrap_or(Distance::km(0.0));
        let at = match beside {
            Some((at, _)) => Some(at),
            None => self.at(length),
        };
        let max_power = self.field("max_kw").required(0.1, 10_000.0, "kW").map(Power::kw);
        let overhead = Minutes::new(self.number("overhead", 0.0, 10_000.0, "min").unwrap_or(0.0));
        let details = self.details(overhead);
        let mut price = |name: &str| self.number(name, 0.0, MOST_PRICE, "").unwrap_or(0.0);
        let price = Price { per_kwh: price("per_kwh"), per_min: price("per_min"), per_session: price("per_session") };
        let off_route_speed = self.field("off_speed").speed(units, 1.0, 400.0).unwrap_or(OFF_ROUTE);
        let max_current = self.number("max_a", 0.1, 10_000.0, "A").map(Current::amps);
        let (Some(name), Some(at), Some(max_power), false) = (name, at, max_power, self.is_wrong()) else {
            return None;
        };
        Some(Site {
            id: if self.id.is_empty() { new_id(&name, taken) } else { self.id.clone() },
            name,
            at,
            off_route: beside.map_or(typed, |(_, off)| off),
            off_route_speed,
            max_power,
            max_current,
            overhead,
            price,
            details,
        })
    }

    /// Where along the road, which has to be said.
    fn at(&mut self, length: Distance) -> Option<Distance> {
        let units = self.units;
        if self.field("at").text.trim().is_empty() {
            self.field("at").fault = Some(format!("needed; expected 0 to {}", figures::distance(units, length)));
            return None;
        }
        // The end of the road, told with fewer digits, is still its end.
        self.field("at")
            .distance(units, 0.0, length.get() + 0.5)
            .map(|at| if at.get() > length.get() { length } else { at })
    }

    /// Where a place on the map lies along the track, and the way to it.
    fn beside(&mut self, track: Option<&Track>) -> Option<(Distance, Distance)> {
        let field = self.field("place");
        let text = field.text.trim().to_string();
        if text.is_empty() {
            return None;
        }
        let parsed = text.split_once([',', ' ', ';']).and_then(|(latitude, longitude)| {
            let number = |text: &str| text.trim().parse::<f64>().ok();
            Some((number(latitude)?, number(longitude)?))
        });
        let place = parsed.filter(|(latitude, longitude)| latitude.abs() <= 90.0 && longitude.abs() <= 180.0);
        if let (Some((latitude, longitude)), Some(track)) = (place, track) {
            let beside = track.beside(latitude, longitude);
            return Some((beside.at, off_route(beside.off)));
        }
        field.fault = Some(format!("“{text}” does not work; expected such as 46.21, 8.02"));
        None
    }

    fn details(&mut self, overhead: Minutes) -> SiteDetails {
        let hours = self.text("hours").map(|text| text.parse::<OpeningHours>()).transpose();
        let hours = hours.map_err(|problem| self.field("hours").fault = Some(problem)).unwrap_or_default();
        let listed = connectors(&self.field("connectors").text);
        let listed: Vec<Connector> =
            listed.map_err(|problem| self.field("connectors").fault = Some(problem)).unwrap_or_default();
        SiteDetails {
            stalls: self.count("stalls"),
            out_of_order: self.count("out_of_order"),
            wait: Minutes::new(
                self.number("wait", 0.0, overhead.get(), "min, a part of the fixed minutes").unwrap_or(0.0),
            ),
            cabinet: self.count("cabinet"),
            hours,
            connectors: listed,
            facilities: self.text("facilities"),
            note: self.text("note"),
            charging: None,
        }
    }
}

/// An id that no other site of the trip has, from a name.
fn new_id(name: &str, taken: &[String]) -> String {
    let slug: String =
        name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).take(40).collect();
    let slug = slug.trim_matches('-');
    let slug = if slug.is_empty() { "site" } else { slug };
    let numbered = (2..).map(|number| format!("{slug}-{number}"));
    std::iter::once(slug.to_string()).chain(numbered).find(|id| !taken.contains(id)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::DistanceUnit;

    fn form(units: Units, pairs: &[(&str, &str)]) -> SiteForm {
        let sent = pairs.iter().map(|(name, value)| (name.to_string(), value.to_string()));
        SiteForm::sent(sent.collect(), units)
    }

    #[test]
    fn a_site_comes_back_as_it_was() {
        let list = b"id,name,at_km,off_route_km,off_route_kmh,max_kw,max_a,overhead_min,wait_min,per_kwh,stalls,out_of_order,cabinet_stalls,opening_hours,connectors,facilities,note\n\
            m1,Mossgate,95.5,0.4,40,150,400,9,5,0.62,6,1,2,Mo-Fr 06:00-22:00,4 x IEC_62196_T2_COMBO 150 kW,eat,behind the barn\n";
        let site = spare_hour_formats::read_sites(list).unwrap().remove(0);
        let mut form = SiteForm::of(&site, Units::default());
        assert_eq!(form.read(Distance::km(200.0), None, &[]), Some(site));
    }

    #[test]
    fn says_what_is_wrong_where_it_is() {
        let mut wrong = form(
            Units::default(),
            &[("name", ""), ("at", "300"), ("wait", "9"), ("overhead", "4"), ("hours", "late"), ("place", "here")],
        );
        assert_eq!(wrong.read(Distance::km(200.0), None, &[]), None);
        let faulty: Vec<&str> =
            wrong.fields.iter().filter(|field| field.field.fault.is_some()).map(|field| field.name).collect();
        assert_eq!(faulty, ["name", "at", "max_kw", "wait", "hours", "place"]);
    }

    #[test]
    fn miles_are_kept_as_kilometres_and_new_sites_get_ids() {
        let units = Units { distance: DistanceUnit::Miles, ..Units::default() };
        let sent = [("name", "Old Mill!"), ("at", "10"), ("max_kw", "150")];
        let taken = ["old-mill".to_string()];
        let site = form(units, &sent).read(Distance::km(200.0), None, &taken).unwrap();
        assert_eq!((site.id.as_str(), site.at), ("old-mill-2", Distance::km(16.093_44)));
        assert_eq!(new_id("駅", &[]), "site");
    }
}
