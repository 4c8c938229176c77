//! Charging places of a file as sites of a road: a list that says where along the road they are, or places on the map beside the
//! trip's track.

use spare_hour_core::driving::near_track::NearTrack;
use spare_hour_core::driving::track::Track;
use spare_hour_core::quantity::{Distance, Minutes, Power, Speed};
use spare_hour_core::trip::{MOST_SITES, Price, Site};
use spare_hour_formats::{ChargingPlace, is_site_list, read_places, read_sites};

/// Roads to a place are longer than the crow flies.
const DETOUR: f64 = 1.3;
/// Speed on the way to a place off the road, and fixed minutes there.
pub(super) const OFF_ROUTE: Speed = Speed::kmh(50.0);
pub(super) const OVERHEAD: Minutes = Minutes::new(4.0);
/// Power taken of a place that does not say.
const UNKNOWN_POWER: Power = Power::kw(50.0);

/// Which places count, and what is taken of those that do not say.
#[derive(Clone, Copy, Debug)]
pub(super) struct Wanted {
    /// Farthest off the road, as the crow flies.
    pub(super) off: Distance,
    /// Price of a kWh where no tariff is known.
    pub(super) price: f64,
}

/// What a file holds.
pub(super) enum PlaceFile {
    /// Sites that say where along a road they are.
    Sites(Vec<Site>),
    /// Places on the map.
    Places(Vec<ChargingPlace>),
}

impl PlaceFile {
    /// Reads a file of either.
    pub(super) fn read(bytes: &[u8]) -> Result<Self, String> {
        if is_site_list(&String::from_utf8_lossy(bytes)) {
            read_sites(bytes).map(Self::Sites).map_err(|error| format!("The sites: {error}."))
        } else {
            read_places(bytes).map(Self::Places).map_err(|error| format!("The places: {error}."))
        }
    }

    /// The sites of it along a road of a length, which a track may lead along.
    pub(super) fn along(self, track: Option<&Track>, length: Distance, wanted: Wanted) -> Result<Vec<Site>, String> {
        let sites = match (self, track) {
            (Self::Sites(sites), _) => sites,
            (Self::Places(places), Some(track)) => beside(track, &places, wanted),
            (Self::Places(_), None) => {
                let problem =
                    "Places on a map need a road that came from a track; for another road say at_km of each site.";
                return Err(problem.into());
            }
        };
        match sites.iter().find(|site| site.at.get() > length.get() + 1e-6) {
            Some(site) => {
                let (at, end) = (site.at.get(), length.get());
                Err(format!("The sites: {} lies at {at:.1} km; the road ends at {end:.1} km.", site.name))
            }
            None => Ok(sites),
        }
    }
}

/// The places near enough to a track, along it.
fn beside(track: &Track, places: &[ChargingPlace], wanted: Wanted) -> Vec<Site> {
    let near = NearTrack::new(track);
    let mut sites: Vec<Site> = places.iter().filter_map(|place| site(&near, place, wanted)).collect();
    sites.sort_by(|a, b| a.at.get().total_cmp(&b.at.get()));
    sites.truncate(MOST_SITES);
    sites
}

fn site(near: &NearTrack, place: &ChargingPlace, wanted: Wanted) -> Option<Site> {
    let beside = near.beside(place.latitude, place.longitude);
    (beside.off.get() <= wanted.off.get()).then(|| Site {
        id: place.id.clone(),
        name: place.name.clone(),
        at: beside.at,
        off_route: off_route(beside.off),
        off_route_speed: OFF_ROUTE,
        max_power: place.power.unwrap_or(UNKNOWN_POWER),
        max_current: place.current,
        overhead: OVERHEAD + place.details.wait,
        price: Price { per_kwh: wanted.price, per_min: 0.0, per_session: 0.0 },
        details: place.details.clone(),
    })
}

/// The way to a place so far off the road as the crow flies.
pub(super) fn off_route(crow: Distance) -> Distance {
    Distance::km(DETOUR * crow.get())
}

#[cfg(test)]
mod tests {
    use super::*;

    const WANTED: Wanted = Wanted { off: Distance::km(3.0), price: 0.6 };

    #[test]
    fn places_near_the_track_are_sites_and_others_need_a_track() {
        let gpx = b"<gpx version=\"1.1\" creator=\"hand\"><trk><trkseg><trkpt lat=\"46\" lon=\"8\"/><trkpt lat=\"46.5\" lon=\"8\"/></trkseg></trk></gpx>";
        let track = spare_hour_formats::read_track(gpx).unwrap();
        let places = b"name,latitude,longitude,max_kw,wait_min\nNear,46.25,8.013,150,5\nFar,46.25,8.2,150,\n";
        let sites = PlaceFile::read(places).unwrap().along(Some(&track), track.length(), WANTED).unwrap();
        // By hand: 0.013 degrees of longitude at 46.25 degrees are 1.0 km; the middle of 55.6 km.
        assert_eq!((sites.len(), sites[0].overhead), (1, Minutes::new(9.0)));
        assert!((sites[0].off_route.get() - 1.3).abs() < 0.01 && (sites[0].at.get() - 27.8).abs() < 0.05, "{sites:?}");
        let refused = PlaceFile::read(places).unwrap().along(None, track.length(), WANTED).unwrap_err();
        assert!(refused.contains("need a road that came from a track"), "{refused}");
    }

    #[test]
    fn sites_beyond_the_end_are_refused() {
        let list = b"at_km,max_kw\n10,50\n90,50\n";
        let along = |km: f64| PlaceFile::read(list).unwrap().along(None, Distance::km(km), WANTED);
        assert_eq!(along(100.0).unwrap().len(), 2);
        let refused = along(80.0).unwrap_err();
        assert_eq!(refused, "The sites: s2 lies at 90.0 km; the road ends at 80.0 km.");
    }
}
