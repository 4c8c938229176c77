//! What is known of a car: capacity, distances, its AC charger, body, and where it charges at home.

use crate::charging::ac_charge::OnBoardCharger;
use crate::charging::profile::Profile;
use crate::driving::coming_month::HomePost;
use crate::quantity::{Energy, Mass};
use crate::session::distance_base::{DistanceBase, Distances};
use crate::trip::Boost;

/// What is known of a car.
#[derive(Clone, Debug)]
pub struct KnownCar {
    /// Name for people.
    pub name: String,
    /// Energy between shown 0 and 100 %.
    pub usable: Energy,
    /// How far it goes, as far as is known.
    pub distances: Distances,
    /// The base that distances are figured with.
    pub distance_base: DistanceBase,
    /// Its charger for alternating current.
    pub on_board: Option<OnBoardCharger>,
    /// Empty mass.
    pub mass: Option<Mass>,
    /// Drag area CdA in m².
    pub drag_area: Option<f64>,
    /// Share of the plug's energy that is not stored, %.
    pub charge_loss_percent: f64,
    /// Pack voltage in V over SoC.
    pub pack_voltage: Option<Profile>,
    /// A higher curve for the first minutes.
    pub boost: Option<Boost>,
    /// Where it charges at home.
    pub home: Option<HomePost>,
}

impl KnownCar {
    /// A car of which nothing is known but its name, capacity and loss.
    pub fn new(name: impl Into<String>, usable: Energy, charge_loss_percent: f64) -> Self {
        Self {
            name: name.into(),
            usable,
            distances: Distances::default(),
            distance_base: DistanceBase::default(),
            on_board: None,
            mass: None,
            drag_area: None,
            charge_loss_percent,
            pack_voltage: None,
            boost: None,
            home: None,
        }
    }

    /// The share of the plug's energy that is stored, 0.1 to 1.
    pub fn stored_share(&self) -> f64 {
        1.0 - self.charge_loss_percent / 100.0
    }
}
