//! Where one is on a trip under way: `now` of trip JSON.

use serde::{Deserialize, Serialize};
use spare_hour_core::quantity::{Distance, Minutes, Soc};
use spare_hour_core::trip::under_way::Now;

use crate::FormatError;
use crate::trip_json::moment;

/// Longest time at the wheel that can be said, minutes.
const MOST_DRIVEN: f64 = 1_440.0;

#[derive(Deserialize, Serialize)]
pub(crate) struct NowFile {
    at: String,
    #[serde(default)]
    at_km: Option<f64>,
    #[serde(default)]
    at_site: Option<String>,
    soc: f64,
    #[serde(default)]
    driven_min: f64,
    #[serde(default)]
    taken: Vec<String>,
    #[serde(default)]
    avoid: Vec<String>,
}

impl NowFile {
    /// Where one is on a trip with such sites, each with its kilometre: at a site, its own is the place.
    pub(crate) fn read(&self, sites: &[(&str, f64)], zone: Option<&str>) -> Result<Now, FormatError> {
        let wrong = |field: &str, problem: String| FormatError::path(format!("now.{field}"), problem);
        let site = self.at_site.as_ref().map(|id| {
            let found = sites.iter().find(|(site, _)| site == id);
            found.ok_or_else(|| wrong("at_site", format!("is \"{id}\"; expected the id of one of sites, or null")))
        });
        let at_km = match (site.transpose()?, self.at_km) {
            (Some((_, km)), _) => *km,
            (None, Some(km)) => km,
            (None, None) => {
                return Err(wrong("at_km", "is missing; expected how far along the road one is, in km".into()));
            }
        };
        if let Some(id) = self.avoid.iter().find(|id| !sites.iter().any(|(site, _)| site == id)) {
            return Err(wrong("avoid", format!("has \"{id}\"; expected ids of sites")));
        }
        if !(0.0..=MOST_DRIVEN).contains(&self.driven_min) {
            let problem = format!("is {}; expected 0 to {MOST_DRIVEN} min", self.driven_min);
            return Err(wrong("driven_min", problem));
        }
        Ok(Now {
            at: moment("now.at", &self.at, zone)?,
            at_km: Distance::km(at_km),
            at_site: self.at_site.clone(),
            soc: Soc::percent(self.soc),
            driven: Minutes::new(self.driven_min),
            taken: self.taken.clone(),
            avoid: self.avoid.clone(),
        })
    }
}
