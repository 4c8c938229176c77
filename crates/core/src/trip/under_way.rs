//! A trip under way: what is left of it from where one is. The road driven is cut off, sites passed are gone, and the site one stands
//! at lies at its beginning: no fixed minutes and no flat fee are due there again, and charging goes on with what is in the battery,
//! even below the floor.

use jiff::ZonedDateTime;

use super::{Goal, Price, Site, TripDraft, Vehicle};
use crate::charging::stall::Stall;
use crate::driving::route::{Route, Segment};
use crate::quantity::{Distance, Minutes, Soc};
use crate::refused::{Fault, Refused};
use crate::trip::wishes::Wishes;

/// A road that is left is at least so long, km: whoever stands at the very end has still to get in.
const SHORTEST_REST: f64 = 0.001;

/// Where one is on a trip, and what was done of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Now {
    /// When.
    pub at: ZonedDateTime,
    /// How far along the road.
    pub at_km: Distance,
    /// The site that one stands at.
    pub at_site: Option<String>,
    /// What is in the battery.
    pub soc: Soc,
    /// How long one has been at the wheel since one last rested.
    pub driven: Minutes,
    /// Names of the pauses that were taken today.
    pub taken: Vec<String>,
    /// Sites not to be counted on.
    pub avoid: Vec<String>,
}

impl Now {
    /// What is left of a trip.
    ///
    /// # Errors
    /// By its place in trip JSON: a kilometre beyond the road, a site that is none, a SoC that is none.
    pub fn rest_of(&self, draft: TripDraft) -> Result<TripDraft, Refused> {
        let length = draft.route.length().get();
        Refused::outside("now.at_km", self.at_km.get(), 0.0, length, "km")?;
        Refused::outside("now.soc", self.soc.get(), 0.0, 100.0, "%")?;
        let here = self.here(&draft)?.cloned();
        let place = here.as_ref().map_or(self.at_km, |site| site.at);
        let way_back = here.as_ref().and_then(|site| way_back(site, &draft.route));
        let before = way_back.map_or(0.0, |segment| segment.length.get()) - place.get();
        let ahead = |site: &Site| site.at >= place && Some(&site.id) != self.at_site.as_ref();
        let moved = |site: Site| Site { at: Distance::km(site.at.get() + before), ..site };
        let on_the_way = draft.sites.into_iter().filter(ahead).map(moved);
        let standing = here.map(|site| standing_at(site, &draft.vehicle));
        Ok(TripDraft {
            route: Route::new(way_back.into_iter().chain(road_from(&draft.route, place)).collect()),
            sites: standing.into_iter().chain(on_the_way).collect(),
            goal: Goal { start: self.soc, ..draft.goal },
            ..draft
        })
    }

    /// The site that one stands at.
    fn here<'d>(&self, draft: &'d TripDraft) -> Result<Option<&'d Site>, Refused> {
        let Some(id) = &self.at_site else { return Ok(None) };
        let found = draft.sites.iter().find(|site| site.id == *id);
        found.map(Some).ok_or_else(|| {
            Refused::new("now.at_site", Fault::Unreadable { value: id.clone(), expected: "the id of one of sites" })
        })
    }

    /// What is left of the wishes: pauses that were taken today, visits that were paid and stays that were stood are done.
    #[must_use]
    pub fn rest_of_wishes(&self, mut wishes: Wishes) -> Wishes {
        let is_here = |id: &String| Some(id) == self.at_site.as_ref();
        for pause in &mut wishes.pauses {
            pause.taken = pause.taken || self.taken.contains(&pause.name);
        }
        wishes.driven = self.driven;
        wishes.visit.retain(|id| !is_here(id));
        wishes.stay.retain(|(id, _)| !is_here(id));
        wishes.leave.retain(|(id, soc)| !is_here(id) || *soc > self.soc);
        wishes.avoid.extend(self.avoid.iter().filter(|id| !is_here(id)).cloned());
        wishes
    }
}

/// The way from a site's stall back to the road.
fn way_back(site: &Site, route: &Route) -> Option<Segment> {
    let segment = route.segment_at(site.at).filter(|_| site.off_route.get() >= SHORTEST_REST)?;
    Some(Segment { length: site.off_route, speed: site.off_route_speed, consumption: segment.consumption })
}

/// The site that one stands at, as it lies at the beginning of what is left.
fn standing_at(site: Site, vehicle: &Vehicle) -> Site {
    let mut details = site.details.clone();
    let power = || Stall::new(vehicle, &site).power().clone();
    details.charging = Some(details.charging.take().unwrap_or_else(power));
    details.out_of_order = None;
    details.wait = Minutes::new(0.0);
    Site {
        at: Distance::km(0.0),
        off_route: Distance::km(0.0),
        overhead: Minutes::new(0.0),
        price: Price { per_session: 0.0, ..site.price },
        details,
        ..site
    }
}

/// The road from a place on.
fn road_from(route: &Route, place: Distance) -> Vec<Segment> {
    let mut begins = 0.0;
    let mut left: Vec<Segment> = Vec::new();
    for segment in route.segments() {
        let ends = begins + segment.length.get();
        let length = ends - place.get().max(begins);
        if length >= SHORTEST_REST {
            left.push(Segment { length: Distance::km(length), ..*segment });
        }
        begins = ends;
    }
    if let (true, Some(last)) = (left.is_empty(), route.segments().last()) {
        left.push(Segment { length: Distance::km(SHORTEST_REST), ..*last });
    }
    left
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::{Consumption, Energy, Power, Speed};
    use crate::trip::site_details::SiteDetails;

    fn site(id: &str, km: f64, off_route: f64) -> Site {
        Site {
            id: id.into(),
            name: id.into(),
            at: Distance::km(km),
            off_route: Distance::km(off_route),
            off_route_speed: crate::quantity::Speed::kmh(50.0),
            max_power: Power::kw(100.0),
            max_current: None,
            overhead: Minutes::new(5.0),
            price: Price { per_kwh: 0.5, per_min: 0.0, per_session: 1.0 },
            details: SiteDetails::default(),
        }
    }

    fn draft() -> TripDraft {
        let segment = |km: f64, use_: f64| Segment {
            length: Distance::km(km),
            speed: Speed::kmh(100.0),
            consumption: Consumption::kwh_per_100km(use_),
        };
        TripDraft {
            name: "T".into(),
            vehicle: Vehicle {
                usable: Energy::kwh(60.0),
                charge_curve: crate::charging::profile::Profile::constant(120.0),
                charge_loss_percent: 10.0,
                pack_voltage: None,
                boost: None,
            },
            route: Route::new(vec![segment(100.0, 20.0), segment(100.0, 15.0)]),
            sites: vec![site("a", 60.0, 0.0), site("b", 120.0, 2.0), site("c", 150.0, 0.0)],
            goal: Goal::USUAL,
        }
    }

    fn now(at_km: f64, at_site: Option<&str>) -> Now {
        Now {
            at: "2026-12-18T13:05[UTC]".parse().unwrap(),
            at_km: Distance::km(at_km),
            at_site: at_site.map(Into::into),
            soc: Soc::percent(17.0),
            driven: Minutes::new(0.0),
            taken: vec!["lunch".into()],
            avoid: vec!["c".into()],
        }
    }

    #[test]
    fn what_was_driven_is_cut_off() {
        // By hand: from km 90 on 10 and 100 km are left, with 2 and 15 kWh; b is 30 km ahead.
        let rest = now(90.0, None).rest_of(draft()).unwrap();
        assert!((rest.route.length().get() - 110.0).abs() < 1e-9);
        assert!((rest.route.net(Distance::km(0.0), rest.route.length()).get() - 17.0).abs() < 1e-9);
        let ahead: Vec<(&str, f64)> = rest.sites.iter().map(|site| (site.id.as_str(), site.at.get())).collect();
        assert_eq!((ahead, rest.goal.start.get()), (vec![("b", 30.0), ("c", 60.0)], 17.0));
    }

    #[test]
    fn at_a_stall_the_way_back_to_the_road_is_still_to_come() {
        // By hand: 2 km at 50 km/h and 15 kWh/100 km, then the 80 km that are left of the road.
        let rest = now(0.0, Some("b")).rest_of(draft()).unwrap();
        assert!((rest.route.length().get() - 82.0).abs() < 1e-9 && rest.route.segments()[0].speed.get() == 50.0);
        let here = &rest.sites[0];
        assert_eq!(
            (here.id.as_str(), here.at.get(), here.overhead.get(), here.price.per_session),
            ("b", 0.0, 0.0, 0.0)
        );
        assert_eq!(here.details.charging.as_ref().map(|power| power.at(50.0)), Some(90.0));
        assert!((rest.sites[1].at.get() - 32.0).abs() < 1e-9);
        let nowhere = now(0.0, Some("z")).rest_of(draft()).unwrap_err();
        assert_eq!(nowhere.field, "now.at_site");
        assert!(now(201.0, None).rest_of(draft()).is_err());
    }

    #[test]
    fn what_was_done_is_no_longer_wished() {
        let wishes = Wishes {
            visit: vec!["b".into(), "c".into()],
            stay: vec![("b".into(), Minutes::new(30.0))],
            leave: vec![("b".into(), Soc::percent(12.0)), ("c".into(), Soc::percent(50.0))],
            ..Wishes::default()
        };
        let rest = now(0.0, Some("b")).rest_of_wishes(wishes);
        assert_eq!((rest.visit, rest.stay.len(), rest.avoid), (vec!["c".to_string()], 0, vec!["c".to_string()]));
        assert_eq!(rest.leave, [("c".to_string(), Soc::percent(50.0))]);
    }
}
