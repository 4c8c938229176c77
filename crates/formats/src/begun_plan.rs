//! The plan that a trip is begun with, as the ledger keeps it: what happens is held against it.

use serde::{Deserialize, Serialize};

/// A plan, with minutes after the departure.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, Serialize)]
pub struct BegunPlan {
    /// When it leaves, in milliseconds since 1970.
    pub leaves_ms: i64,
    /// SoC at the departure, %.
    pub start_soc: f64,
    /// Length of the road, km.
    pub km: f64,
    /// Door to door, minutes.
    pub total_min: f64,
    /// In the trip's currency.
    pub cost: f64,
    /// SoC at the end, %.
    pub arrival_soc: f64,
    /// Energy that fills the battery, kWh.
    pub usable_kwh: f64,
    /// Its stops.
    pub stops: Vec<BegunStop>,
    /// All places to charge on its road.
    #[serde(default)]
    pub places: Vec<BegunPlace>,
}

/// A place to charge.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, Serialize)]
pub struct BegunPlace {
    /// The site.
    pub site: String,
    /// Its name.
    pub name: String,
    /// Where it is, km.
    pub at_km: f64,
}

/// A stop of it.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, Serialize)]
pub struct BegunStop {
    /// The site.
    pub site: String,
    /// Its name.
    pub name: String,
    /// Where it is, km.
    pub at_km: f64,
    /// When one arrives, minutes after the departure,
    pub arrive_min: f64,
    /// and leaves.
    pub leave_min: f64,
    /// SoC on arrival, %,
    pub arrive_soc: f64,
    /// and on leaving.
    pub leave_soc: f64,
    /// Energy from the plug, kWh.
    pub plug_kwh: f64,
    /// What it costs, in the trip's currency.
    pub cost: f64,
}

impl BegunPlan {
    /// Reads what [`BegunPlan::text`] wrote.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn read(text: &str) -> Result<Self, String> {
        serde_json::from_str(text).map_err(|error| error.to_string())
    }

    /// The plan as JSON.
    pub fn text(&self) -> String {
        serde_json::to_string(self).unwrap_or_default()
    }
}
