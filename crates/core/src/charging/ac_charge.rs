//! AC charging: power of a post, what the car takes of it, km added an hour, hours to a limit.
//!
//! P = n · U · I / 1000 in kW, with n phases, U the phase voltage in V and I the amperes per phase. A car takes the least of
//! the phases that post and car have, the amperes of both, and its own AC limit. Plain arithmetic.

use crate::quantity::{Current, Distance, Energy, Minutes, Power, Soc, Voltage};

/// What a post offers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Post {
    /// Phases, 1 to 3.
    pub phases: u32,
    /// Between phase and neutral.
    pub voltage: Voltage,
    /// On each phase.
    pub current: Current,
}

/// What a car's on-board charger can take.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OnBoardCharger {
    /// Phases that it uses, 1 to 3.
    pub phases: u32,
    /// Its most power.
    pub limit: Power,
    /// Its most current on each phase, where it is less than a post's.
    pub current: Option<Current>,
    /// Share of the plug's energy that is not stored, %, where it is known apart from fast charging's.
    pub loss_percent: Option<f64>,
}

impl OnBoardCharger {
    /// A charger of which nothing is known but its phases and most power.
    pub fn new(phases: u32, limit: Power) -> Self {
        Self { phases, limit, current: None, loss_percent: None }
    }

    /// The share of the plug's energy that is stored, for a car that loses so much where nothing is known of AC.
    pub fn stored_share(&self, usual_loss_percent: f64) -> f64 {
        1.0 - self.loss_percent.unwrap_or(usual_loss_percent) / 100.0
    }
}

/// Power of an AC connection.
pub fn ac_power(phases: u32, voltage: Voltage, current: Current) -> Power {
    Power::kw(f64::from(phases) * voltage.get() * current.get() / 1000.0)
}

impl Post {
    /// The most that the post gives.
    pub fn power(&self) -> Power {
        ac_power(self.phases, self.voltage, self.current)
    }

    /// What a car takes of it.
    pub fn taken_by(&self, car: &OnBoardCharger) -> Power {
        let current = car.current.map_or(self.current, |most| Current::amps(most.get().min(self.current.get())));
        let shared = ac_power(self.phases.min(car.phases), self.voltage, current);
        if shared < car.limit { shared } else { car.limit }
    }
}

/// Distance added in an hour by a power into the battery, for a range that a usable capacity goes.
pub fn added_an_hour(power: Power, usable: Energy, range: Distance) -> Distance {
    range * (power.get() / usable.get())
}

/// Minutes from one SoC to another at a steady power into the battery; `None` when there is no power.
pub fn minutes_to(from: Soc, to: Soc, power: Power, usable: Energy) -> Option<Minutes> {
    let energy = usable * ((to - from).get().max(0.0) / 100.0);
    (power.get() > 0.0).then(|| energy / power)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn post(phases: u32, amps: f64) -> Post {
        Post { phases, voltage: Voltage::volts(230.0), current: Current::amps(amps) }
    }

    #[test]
    fn power_of_posts() {
        // Arithmetic: 3 × 16 A × 230 V = 11.0 kW; 1 × 10 A × 230 V = 2.3 kW; 1 × 32 A × 230 V = 7.4 kW.
        for (phases, amps, kw) in [(3, 16.0, 11.04), (1, 10.0, 2.3), (1, 32.0, 7.36), (3, 32.0, 22.08)] {
            assert!((post(phases, amps).power().get() - kw).abs() < 1e-9);
        }
    }

    #[test]
    fn a_one_phase_car_takes_a_third() {
        // Common practice, no published source: a one-phase car on a 22 kW three-phase post takes about 7 kW.
        let one_phase = OnBoardCharger::new(1, Power::kw(7.4));
        assert!((post(3, 32.0).taken_by(&one_phase).get() - 7.36).abs() < 1e-9);
        let three_phase = OnBoardCharger::new(3, Power::kw(11.0));
        assert_eq!(post(3, 32.0).taken_by(&three_phase), Power::kw(11.0));
        assert_eq!(post(1, 32.0).taken_by(&three_phase), Power::kw(7.36));
    }

    #[test]
    fn a_car_may_take_fewer_amperes_and_lose_a_share_of_its_own() {
        // Arithmetic: 3 × 13 A × 230 V = 8.97 kW, of which 88 % are stored.
        let charger = OnBoardCharger {
            current: Some(Current::amps(13.0)),
            loss_percent: Some(12.0),
            ..OnBoardCharger::new(3, Power::kw(11.0))
        };
        assert!((post(3, 16.0).taken_by(&charger).get() - 8.97).abs() < 1e-9);
        assert!((post(3, 10.0).taken_by(&charger).get() - 6.9).abs() < 1e-9);
        assert!((charger.stored_share(8.0) - 0.88).abs() < 1e-12);
        assert!((OnBoardCharger::new(1, Power::kw(7.0)).stored_share(8.0) - 0.92).abs() < 1e-12);
    }

    #[test]
    fn hours_and_distance_by_hand() {
        // 60 kWh from 20 to 80 % at 10 kW: 3.6 h. 10 kW into 60 kWh that go 400 km: 66.7 km an hour.
        let usable = Energy::kwh(60.0);
        let minutes = minutes_to(Soc::percent(20.0), Soc::percent(80.0), Power::kw(10.0), usable).unwrap();
        assert!((minutes.get() - 216.0).abs() < 1e-9);
        assert!((added_an_hour(Power::kw(10.0), usable, Distance::km(400.0)).get() - 66.667).abs() < 0.001);
        assert_eq!(minutes_to(Soc::percent(20.0), Soc::percent(80.0), Power::kw(0.0), usable), None);
    }
}
