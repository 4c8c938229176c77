//! Profiles and boosts as the JSON that their columns hold.

use serde::{Deserialize, Serialize};
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::{Minutes, Soc};
use spare_hour_core::trip::Boost;

use crate::{Result, StoreError};

#[derive(Deserialize, Serialize)]
struct BoostColumn {
    minutes: f64,
    max_start_soc: f64,
    points: Vec<(f64, f64)>,
}

pub(crate) fn write_profile(profile: &Profile) -> Result<String> {
    serde_json::to_string(profile.points()).map_err(|error| damaged(&error))
}

pub(crate) fn read_profile(text: &str) -> Result<Profile> {
    let points: Vec<(f64, f64)> = serde_json::from_str(text).map_err(|error| damaged(&error))?;
    Profile::new(points).map_err(|error| damaged(&error))
}

pub(crate) fn write_boost(boost: &Boost) -> Result<String> {
    let column = BoostColumn {
        minutes: boost.time.get(),
        max_start_soc: boost.max_start.get(),
        points: boost.charge_curve.points().to_vec(),
    };
    serde_json::to_string(&column).map_err(|error| damaged(&error))
}

pub(crate) fn read_boost(text: &str) -> Result<Boost> {
    let column: BoostColumn = serde_json::from_str(text).map_err(|error| damaged(&error))?;
    Ok(Boost {
        time: Minutes::new(column.minutes),
        max_start: Soc::percent(column.max_start_soc),
        charge_curve: Profile::new(column.points).map_err(|error| damaged(&error))?,
    })
}

fn damaged(error: &dyn std::fmt::Display) -> StoreError {
    StoreError::Damaged { what: "curve", problem: error.to_string() }
}
