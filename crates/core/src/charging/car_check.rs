//! Whether the numbers of a car can be, field by field. Fields are named as the list of cars names its columns
//! (docs/formats/lists.md).

use super::known_car::KnownCar;
use super::profile::Profile;
use crate::quantity::{Consumption, Current, Distance, Mass};
use crate::refused::{Bounds, Fault, Refused};
use crate::trip::MOST_CURVE_POINTS;

/// Most letters of a name.
pub const MOST_NAME: usize = 80;
/// Energy between shown 0 and 100 %.
pub const USABLE: Bounds = Bounds::new(0.1, 2_000.0, "kWh");
/// Share of the plug's energy that is not stored.
pub const LOSS: Bounds = Bounds::new(0.0, 90.0, "%");
/// A range from full to empty.
pub const RANGE: Bounds = Bounds::new(1.0, 10_000.0, "km");
/// Speed of a range test.
pub const TEST_SPEED: Bounds = Bounds::new(10.0, 300.0, "km/h");
/// Consumption of a person's own.
pub const OWN: Bounds = Bounds::new(1.0, 200.0, "kWh/100 km");
/// Phases of a charger or post.
pub const PHASES: Bounds = Bounds::new(1.0, 3.0, "phases");
/// Limit of the car's own charger.
pub const AC_POWER: Bounds = Bounds::new(0.5, 50.0, "kW");
/// Empty mass.
pub const MASS: Bounds = Bounds::new(300.0, 5_000.0, "kg");
/// Drag area CdA.
pub const DRAG_AREA: Bounds = Bounds::new(0.2, 3.0, "m²");
/// Pack voltage at any SoC.
pub const PACK_VOLTAGE: Bounds = Bounds::new(1.0, 2_000.0, "V");
/// How long a boost lasts.
pub const BOOST_TIME: Bounds = Bounds::new(0.0, 1_440.0, "min");
/// Highest start that gets a boost.
pub const BOOST_START: Bounds = Bounds::new(0.0, 100.0, "%");
/// Power of a boost at any SoC.
pub const BOOST_POWER: Bounds = Bounds::new(0.1, 10_000.0, "kW");
/// Voltage of a post at home.
pub const HOME_VOLTAGE: Bounds = Bounds::new(90.0, 500.0, "V");
/// Current on each phase of a post at home, or of the car's own charger.
pub const AC_CURRENT: Bounds = Bounds::new(1.0, 100.0, "A");
/// Length of a night at home.
pub const HOME_HOURS: Bounds = Bounds::new(0.0, 24.0, "h");
/// SoC that a charge at home ends at.
pub const HOME_LIMIT: Bounds = Bounds::new(1.0, 100.0, "%");

impl KnownCar {
    /// Whether every number is one that can be: the first field that is not.
    ///
    /// # Errors
    /// The field with its value and bounds.
    pub fn check(&self) -> Result<(), Refused> {
        if self.name.trim().is_empty() {
            return Err(Refused::new("name", Fault::Empty { expected: "1 to 80 characters" }));
        }
        let found = self.name.chars().count();
        if found > MOST_NAME {
            return Err(Refused::new("name", Fault::Count { found, least: 1, most: MOST_NAME, what: "characters" }));
        }
        USABLE.check("usable_kwh", self.usable.get())?;
        LOSS.check("loss_percent", self.charge_loss_percent)?;
        self.check_distances()?;
        self.check_body()?;
        self.check_charging()
    }

    fn check_distances(&self) -> Result<(), Refused> {
        let distances = &self.distances;
        optional(RANGE, "rated_range_km", distances.rated.map(Distance::get))?;
        optional(RANGE, "test_range_km", distances.constant_speed.map(|test| test.0.get()))?;
        optional(TEST_SPEED, "test_kmh", distances.constant_speed.map(|test| test.1.get()))?;
        optional(OWN, "own_kwh_per_100km", distances.own.map(Consumption::get))
    }

    fn check_body(&self) -> Result<(), Refused> {
        optional(MASS, "mass_kg", self.mass.map(Mass::get))?;
        optional(DRAG_AREA, "drag_area_m2", self.drag_area)
    }

    fn check_charging(&self) -> Result<(), Refused> {
        optional(PHASES, "ac_phases", self.on_board.map(|charger| f64::from(charger.phases)))?;
        optional(AC_POWER, "ac_kw", self.on_board.map(|charger| charger.limit.get()))?;
        let on_board = self.on_board.as_ref();
        optional(AC_CURRENT, "ac_a", on_board.and_then(|charger| charger.current).map(Current::get))?;
        optional(LOSS, "ac_loss_percent", on_board.and_then(|charger| charger.loss_percent))?;
        over_soc(PACK_VOLTAGE, "pack_voltage", self.pack_voltage.as_ref())?;
        let boost = self.boost.as_ref();
        optional(BOOST_TIME, "boost_min", boost.map(|boost| boost.time.get()))?;
        optional(BOOST_START, "boost_max_start_soc", boost.map(|boost| boost.max_start.get()))?;
        over_soc(BOOST_POWER, "boost_kw", boost.map(|boost| &boost.charge_curve))?;
        let home = self.home.as_ref();
        optional(PHASES, "home_phases", home.map(|home| f64::from(home.post.phases)))?;
        optional(HOME_VOLTAGE, "home_v", home.map(|home| home.post.voltage.get()))?;
        optional(AC_CURRENT, "home_a", home.map(|home| home.post.current.get()))?;
        optional(HOME_HOURS, "home_hours", home.map(|home| home.night.get() / 60.0))?;
        optional(HOME_LIMIT, "home_limit_soc", home.map(|home| home.limit.get()))
    }
}

fn optional(bounds: Bounds, field: &str, value: Option<f64>) -> Result<(), Refused> {
    value.map_or(Ok(()), |value| bounds.check(field, value))
}

fn over_soc(bounds: Bounds, field: &str, profile: Option<&Profile>) -> Result<(), Refused> {
    let points = profile.map_or(&[][..], Profile::points);
    if points.len() > MOST_CURVE_POINTS {
        let found = points.len();
        return Err(Refused::new(field, Fault::Count { found, least: 1, most: MOST_CURVE_POINTS, what: "points" }));
    }
    points.iter().try_for_each(|&(soc, value)| bounds.check(&format!("{field} at {soc} %"), value))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::charging::ac_charge::OnBoardCharger;
    use crate::quantity::{Energy, Power};
    use crate::session::distance_base::Distances;

    fn refused(change: impl FnOnce(&mut KnownCar)) -> String {
        let mut car = KnownCar::new("Tern", Energy::kwh(60.0), 8.0);
        assert_eq!(car.check(), Ok(()));
        change(&mut car);
        car.check().unwrap_err().field
    }

    #[test]
    fn the_first_field_that_cannot_be_is_named() {
        assert_eq!(refused(|car| car.name = " ".into()), "name");
        assert_eq!(refused(|car| car.name = "x".repeat(81)), "name");
        assert_eq!(refused(|car| car.usable = Energy::kwh(f64::NAN)), "usable_kwh");
        assert_eq!(refused(|car| car.charge_loss_percent = 91.0), "loss_percent");
        let far = Distances { rated: Some(Distance::km(0.0)), ..Distances::default() };
        assert_eq!(refused(|car| car.distances = far), "rated_range_km");
        assert_eq!(refused(|car| car.mass = Some(Mass::kg(9.0))), "mass_kg");
        let four = OnBoardCharger::new(4, Power::kw(11.0));
        assert_eq!(refused(|car| car.on_board = Some(four)), "ac_phases");
        let sagging = Profile::new(vec![(0.0, 320.0), (50.0, 0.0)]).unwrap();
        assert_eq!(refused(|car| car.pack_voltage = Some(sagging)), "pack_voltage at 50 %");
    }
}
