//! What a driver wishes of a trip beside its goal, and what has to be known of car and sites for it: pauses, time at the
//! wheel, bounds of money and minutes, alternating current, plugs.

use std::collections::HashMap;

use jiff::civil::Time;
use jiff::tz::TimeZone;

use crate::charging::ac_charge::Post;
use crate::quantity::{Current, Minutes, Power, Soc};

/// Most pauses that may be wished.
pub const MOST_PAUSES: usize = 6;

/// What one can do at a site.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Facility {
    /// Eat.
    Eat,
    /// Sleep.
    Sleep,
    /// Rest.
    Rest,
}

impl Facility {
    /// Its name in trip JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Eat => "eat",
            Self::Sleep => "sleep",
            Self::Rest => "rest",
        }
    }

    /// The facility of a name.
    pub fn of_name(name: &str) -> Option<Self> {
        [Self::Eat, Self::Sleep, Self::Rest].into_iter().find(|facility| facility.name() == name)
    }
}

/// What a driver counts on at stalls that share the power of a cabinet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Neighbours {
    /// Nobody else charges there.
    #[default]
    Hope,
    /// Somebody takes half of it all the while.
    Half,
    /// Every other stall of the cabinet is taken, and all get the same.
    Worst,
}

impl Neighbours {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Hope, Self::Half, Self::Worst];

    /// Its name in trip JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Hope => "hope",
            Self::Half => "half",
            Self::Worst => "worst",
        }
    }

    /// What of a name.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|neighbours| neighbours.name() == name)
    }

    /// The share of a site's power that is counted on, where so many of its stalls share a cabinet.
    pub fn share(self, cabinet: Option<u32>) -> f64 {
        match (self, cabinet.unwrap_or(1)) {
            (Self::Hope, _) | (_, 0 | 1) => 1.0,
            (Self::Half, _) => 0.5,
            (Self::Worst, stalls) => 1.0 / f64::from(stalls),
        }
    }
}

/// A pause: within one standing, a stretch of so many minutes that begins in a window, on each day that the trip is under way
/// then.
#[derive(Clone, Debug, PartialEq)]
pub struct Pause {
    /// Its name.
    pub name: String,
    /// How long it is.
    pub length: Minutes,
    /// It begins at or after this time of day, in the trip's zone,
    pub from: Time,
    /// and at or before this one; before `from`, it is the next day's.
    pub to: Time,
    /// Only where a site has this.
    pub needs: Option<Facility>,
    /// Whether it may also be taken at the roadside, without charging.
    pub anywhere: bool,
    /// Whether the next of them was taken already.
    pub taken: bool,
}

/// What a car can take from an AC post.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CarAc {
    /// Phases that it uses, 1 to 3.
    pub phases: u32,
    /// Its most power at the plug.
    pub most: Power,
    /// Its most current on a phase.
    pub current: Option<Current>,
    /// Share of the plug's energy that is not stored, %.
    pub loss_percent: f64,
}

impl CarAc {
    /// The plug power that it takes from a post: min(its most, min(phases) · V · min(A)).
    pub fn takes(&self, post: &Post) -> Power {
        let amps = self.current.map_or(post.current.get(), |own| own.get().min(post.current.get()));
        let by_post = f64::from(self.phases.min(post.phases)) * post.voltage.get() * amps / 1000.0;
        Power::kw(by_post.min(self.most.get()))
    }
}

/// A connector that a car can use.
#[derive(Clone, Debug, PartialEq)]
pub struct CarPlug {
    /// Its name in OCPI.
    pub standard: String,
    /// The most power through it, where it is an adapter.
    pub most: Option<Power>,
}

/// What is known of a site for the wishes.
#[derive(Clone, Debug, Default)]
pub struct SiteWishes {
    /// Its post, where it is one for alternating current.
    pub post: Option<Post>,
    /// What one can do there.
    pub has: Vec<Facility>,
    /// Its own time zone.
    pub zone: Option<TimeZone>,
}

/// The wishes.
#[derive(Clone, Debug, Default)]
pub struct Wishes {
    /// Pauses.
    pub pauses: Vec<Pause>,
    /// Never drive longer without standing [`Wishes::rest`].
    pub most_drive: Option<Minutes>,
    /// How long to stand between.
    pub rest: Option<Minutes>,
    /// How long the driver has been at the wheel when the trip begins.
    pub driven: Minutes,
    /// At most so much money.
    pub most_cost: Option<f64>,
    /// At most so many minutes.
    pub most_time: Option<Minutes>,
    /// At most so many stops.
    pub most_stops: Option<u32>,
    /// Sites to pass by.
    pub avoid: Vec<String>,
    /// Sites to stop at.
    pub visit: Vec<String>,
    /// Sites to leave with a SoC of the driver's own, if one stops there.
    pub leave: Vec<(String, Soc)>,
    /// Sites to stand at for at least so long, if one stops there.
    pub stay: Vec<(String, Minutes)>,
    /// Sites to charge at between two times of day, by their own clock, if one charges there.
    pub between: Vec<(String, Time, Time)>,
    /// What is counted on at shared cabinets.
    pub neighbours: Neighbours,
    /// Names of the memberships that the driver holds.
    pub members: Vec<String>,
    /// What the car takes from a post.
    pub car_ac: Option<CarAc>,
    /// The connectors that fit the car; none where nobody said.
    pub plugs: Vec<CarPlug>,
    /// By site.
    pub sites: HashMap<String, SiteWishes>,
}

impl Wishes {
    /// Stops at a site and leaves it with so much.
    pub fn hold(&mut self, site: &str, depart: Soc) {
        self.leave.retain(|(id, _)| id != site);
        self.leave.push((site.into(), depart));
        if !self.visit.iter().any(|id| id == site) {
            self.visit.push(site.into());
        }
    }

    /// The same without what is said of sites that a trip does not have.
    #[must_use]
    pub fn of_sites(mut self, has: impl Fn(&str) -> bool) -> Self {
        self.avoid.retain(|id| has(id));
        self.visit.retain(|id| has(id));
        self.leave.retain(|(id, _)| has(id));
        self.stay.retain(|(id, _)| has(id));
        self.between.retain(|(id, ..)| has(id));
        self.sites.retain(|id, _| has(id));
        self
    }

    /// Whether anything is wished or known that a plan without a clock does not weigh.
    pub fn is_empty(&self) -> bool {
        self.pauses.is_empty()
            && self.most_drive.is_none()
            && self.most_cost.is_none()
            && self.most_time.is_none()
            && self.most_stops.is_none()
            && self.avoid.is_empty()
            && self.visit.is_empty()
            && self.leave.is_empty()
            && self.stay.is_empty()
            && self.between.is_empty()
            && self.neighbours == Neighbours::Hope
            && self.members.is_empty()
            && self.plugs.is_empty()
            && self.sites.values().all(|site| site.post.is_none() && site.zone.is_none())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quantity::Voltage;

    #[test]
    fn a_cabinet_is_shared_by_two_or_by_all_of_its_stalls() {
        // By hand: of 300 kW a neighbour leaves 150; four cars at a cabinet of four get 75 each.
        let left = |neighbours: Neighbours, cabinet| 300.0 * neighbours.share(cabinet);
        assert_eq!(Neighbours::ALL.map(|one| left(one, Some(4))), [300.0, 150.0, 75.0]);
        assert_eq!(Neighbours::ALL.map(|one| left(one, Some(2))), [300.0, 150.0, 150.0]);
        for alone in [None, Some(0), Some(1)] {
            assert_eq!(Neighbours::ALL.map(|one| left(one, alone)), [300.0; 3]);
        }
        assert!(Neighbours::ALL.iter().all(|one| Neighbours::of_name(one.name()) == Some(*one)));
    }

    #[test]
    fn a_one_phase_car_takes_a_third_of_a_post() {
        // By hand: one phase of 230 V and 32 A is 7.36 kW; the post's three would be 22.08.
        let post = Post { phases: 3, voltage: Voltage::volts(230.0), current: Current::amps(32.0) };
        let car = CarAc { phases: 1, most: Power::kw(7.4), current: Some(Current::amps(32.0)), loss_percent: 10.0 };
        assert!((car.takes(&post).get() - 7.36).abs() < 1e-9);
        assert!((CarAc { current: Some(Current::amps(16.0)), ..car }.takes(&post).get() - 3.68).abs() < 1e-9);
        assert!((CarAc { phases: 3, most: Power::kw(11.0), ..car }.takes(&post).get() - 11.0).abs() < 1e-9);
    }
}
