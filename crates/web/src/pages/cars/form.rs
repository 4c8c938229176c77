//! The form of a car: its numbers as they were typed, with faults beside them.

use serde::Deserialize;
use spare_hour_core::charging::ac_charge::OnBoardCharger;
use spare_hour_core::charging::car_check;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Current, Energy, Mass, Minutes, Power, Soc};
use spare_hour_core::refused::Bounds;
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::trip::Boost;
use spare_hour_formats::{read_points, write_points};
use spare_hour_store::Car;

use crate::forms::distance_base::{base_word, parse_base};
use crate::forms::field::Field;
use crate::forms::seen::mark;
use spare_hour_wording::figures;

/// Loss that a new car is taken to have, % of the plug's energy.
const USUAL_LOSS: &str = "8";

/// A field of the form: name, label, and what stands in it.
pub(super) type NamedField<'a> = (&'static str, String, &'a Field);

/// The form, as it was filled in.
#[derive(Clone, Debug, Default)]
pub(super) struct CarForm {
    pub(super) name: Field,
    usable: Field,
    range: Field,
    loss: Field,
    test_range: Field,
    test_speed: Field,
    own: Field,
    ac_phases: Field,
    ac_power: Field,
    ac_current: Field,
    ac_loss: Field,
    mass: Field,
    drag_area: Field,
    pack_voltage: Field,
    boost_min: Field,
    boost_start: Field,
    boost_power: Field,
    base: DistanceBase,
    /// How the car was when the form was shown.
    pub(super) seen: String,
    units: Units,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct CarFields {
    name: String,
    usable: String,
    range: String,
    loss: String,
    test_range: String,
    test_speed: String,
    own: String,
    ac_phases: String,
    ac_power: String,
    ac_current: String,
    ac_loss: String,
    mass: String,
    drag_area: String,
    pack_voltage: String,
    boost_min: String,
    boost_start: String,
    boost_power: String,
    base: String,
    pub(crate) seen: String,
}

impl CarForm {
    pub(super) fn empty(units: Units) -> Self {
        Self { loss: Field::new(USUAL_LOSS), units, ..Self::default() }
    }

    pub(super) fn new(fields: CarFields, units: Units) -> Self {
        Self {
            name: Field::new(fields.name),
            usable: Field::new(fields.usable),
            range: Field::new(fields.range),
            loss: Field::new(fields.loss),
            test_range: Field::new(fields.test_range),
            test_speed: Field::new(fields.test_speed),
            own: Field::new(fields.own),
            ac_phases: Field::new(fields.ac_phases),
            ac_power: Field::new(fields.ac_power),
            ac_current: Field::new(fields.ac_current),
            ac_loss: Field::new(fields.ac_loss),
            mass: Field::new(fields.mass),
            drag_area: Field::new(fields.drag_area),
            pack_voltage: Field::new(fields.pack_voltage),
            boost_min: Field::new(fields.boost_min),
            boost_start: Field::new(fields.boost_start),
            boost_power: Field::new(fields.boost_power),
            base: parse_base(Some(&fields.base)).unwrap_or_default(),
            seen: fields.seen,
            units,
        }
    }

    pub(super) fn of(car: &Car, units: Units) -> Self {
        let number = |number: Option<f64>| Field::new(number.map(figures::field).unwrap_or_default());
        let (about, distances) = (&car.about, &car.about.distances);
        Self {
            seen: mark(about),
            name: Field::new(about.name.clone()),
            usable: number(Some(about.usable.get())),
            range: number(distances.rated.map(|range| units.distance.of(range))),
            loss: number(Some(about.charge_loss_percent)),
            test_range: number(distances.constant_speed.map(|test| units.distance.of(test.0))),
            test_speed: number(distances.constant_speed.map(|test| units.distance.of_speed(test.1))),
            own: number(distances.own.map(|own| units.consumption.of(own))),
            ac_phases: number(about.on_board.map(|charger| f64::from(charger.phases))),
            ac_power: number(about.on_board.map(|charger| charger.limit.get())),
            ac_current: number(about.on_board.and_then(|charger| charger.current).map(Current::get)),
            ac_loss: number(about.on_board.and_then(|charger| charger.loss_percent)),
            mass: number(about.mass.map(Mass::get)),
            drag_area: number(about.drag_area),
            pack_voltage: Field::new(about.pack_voltage.as_ref().map(over_soc).unwrap_or_default()),
            boost_min: number(about.boost.as_ref().map(|boost| boost.time.get())),
            boost_start: number(about.boost.as_ref().map(|boost| boost.max_start.get())),
            boost_power: Field::new(
                about.boost.as_ref().map(|boost| over_soc(&boost.charge_curve)).unwrap_or_default(),
            ),
            base: about.distance_base,
            units,
        }
    }

    /// The fields that hold numbers.
    pub(super) fn number_fields(&self) -> Vec<NamedField<'_>> {
        let (distance, speed) = (self.units.distance.name(), self.units.distance.speed_name());
        vec![
            ("usable", "Usable capacity, kWh".into(), &self.usable),
            ("loss", "Loss, % of plug energy".into(), &self.loss),
            ("range", format!("Rated range, {distance}"), &self.range),
            ("test_range", format!("Constant-speed range, {distance}"), &self.test_range),
            ("test_speed", format!("at, {speed}"), &self.test_speed),
            ("own", format!("Own consumption, {}", self.units.consumption.name()), &self.own),
            ("ac_phases", "AC phases".into(), &self.ac_phases),
            ("ac_power", "AC limit, kW".into(), &self.ac_power),
            ("ac_current", "AC most A a phase".into(), &self.ac_current),
            ("ac_loss", "AC loss, % of plug energy".into(), &self.ac_loss),
            ("mass", "Empty mass, kg".into(), &self.mass),
            ("drag_area", "Drag area CdA, m²".into(), &self.drag_area),
            ("boost_min", "Boost lasts, min".into(), &self.boost_min),
            ("boost_start", "Boost for starts up to, %".into(), &self.boost_start),
        ]
    }

    /// The fields that hold values over SoC.
    pub(super) fn profile_fields(&self) -> Vec<NamedField<'_>> {
        vec![
            ("boost_power", "Boost power, kW (or A)".into(), &self.boost_power),
            ("pack_voltage", "Pack voltage, V, at 0 and 100 %".into(), &self.pack_voltage),
        ]
    }

    /// Boost and pack voltage, or faults beside their fields.
    fn boost(&mut self) -> (Option<Boost>, Option<Profile>) {
        let voltage = self.pack_voltage.optional("volts such as 320 400 or 0:320 100:400", |text| {
            values(text, Bounds { low: 50.0, ..car_check::PACK_VOLTAGE })
        });
        let power = self.boost_power.optional("kW such as 190 or 0:170 60:150, or amperes such as 500 A", |text| {
            match text.strip_suffix(['A', 'a']) {
                Some(amps) => current(amps.trim(), voltage.as_ref()),
                None => values(text.trim_end_matches("kW").trim(), car_check::BOOST_POWER),
            }
        });
        let minutes = self.boost_min.number(0.1, 1_440.0, "min");
        let start = self.boost_start.number_in(car_check::BOOST_START);
        let given = [power.is_some(), minutes.is_some(), start.is_some()];
        if given.contains(&true) {
            for (field, given) in
                [&mut self.boost_power, &mut self.boost_min, &mut self.boost_start].into_iter().zip(given)
            {
                if !given {
                    field.fault.get_or_insert_with(|| "a boost needs its minutes, highest start and power".into());
                }
            }
        }
        let boost = power.zip(minutes.zip(start)).map(|(charge_curve, (minutes, start))| Boost {
            time: Minutes::new(minutes),
            max_start: Soc::percent(start),
            charge_curve,
        });
        (boost, voltage)
    }

    /// The bases of distances: word, name, whether chosen.
    pub(super) fn bases(&self) -> Vec<(&'static str, &'static str, bool)> {
        let name = |base: DistanceBase| match base {
            DistanceBase::Rated => "rated range",
            DistanceBase::ConstantSpeed => "constant-speed test",
            DistanceBase::Own => "own consumption",
        };
        DistanceBase::ALL.into_iter().map(|base| (base_word(base), name(base), base == self.base)).collect()
    }

    /// The car, or faults beside the fields.
    pub(super) fn car(&mut self) -> Option<KnownCar> {
        let name = self.name.words(car_check::MOST_NAME);
        let usable = self.usable.required_in(car_check::USABLE);
        let loss = self.loss.required_in(car_check::LOSS);
        let range = self.range.distance(self.units, car_check::RANGE.low, car_check::RANGE.high);
        let test_range = self.test_range.distance(self.units, car_check::RANGE.low, car_check::RANGE.high);
        let test_speed = self.test_speed.speed(self.units, car_check::TEST_SPEED.low, car_check::TEST_SPEED.high);
        let own = self.own.consumption(self.units, car_check::OWN.low, car_check::OWN.high);
        let phases = self.ac_phases.number_in(car_check::PHASES);
        let ac_power = self.ac_power.number_in(car_check::AC_POWER);
        let ac_current = self.ac_current.number_in(car_check::AC_CURRENT);
        let ac_loss = self.ac_loss.number_in(car_check::LOSS);
        let mass = self.mass.number_in(car_check::MASS);
        let drag_area = self.drag_area.number_in(car_check::DRAG_AREA);
        both_or_none(test_range.is_some(), test_speed.is_some(), &mut self.test_range, &mut self.test_speed);
        both_or_none(phases.is_some(), ac_power.is_some(), &mut self.ac_phases, &mut self.ac_power);
        let (boost, pack_voltage) = self.boost();
        if self.number_fields().iter().chain(&self.profile_fields()).any(|field| field.2.fault.is_some()) {
            return None;
        }
        let on_board = phases.zip(ac_power).map(|(n, kw)| OnBoardCharger {
            current: ac_current.map(Current::amps),
            loss_percent: ac_loss,
            ..OnBoardCharger::new(n.round() as u32, Power::kw(kw))
        });
        Some(KnownCar {
            distances: Distances { rated: range, constant_speed: test_range.zip(test_speed), own },
            distance_base: self.base,
            on_board,
            mass: mass.map(Mass::kg),
            drag_area,
            boost,
            pack_voltage,
            ..KnownCar::new(name?, Energy::kwh(usable?), loss?)
        })
    }
}

/// Values over SoC: one for all, two for 0 and 100 %, or points such as `0:320 100:400`.
fn values(text: &str, bounds: Bounds) -> Option<Profile> {
    let plain: Option<Vec<f64>> = text.split_whitespace().map(|value| value.replace(',', ".").parse().ok()).collect();
    let within = plain.filter(|values| values.iter().all(|value| (bounds.low..=bounds.high).contains(value)));
    match within.as_deref() {
        Some([one]) => Some(Profile::constant(*one)),
        Some([empty, full]) => Profile::new(vec![(0.0, *empty), (100.0, *full)]).ok(),
        _ => read_points(text, bounds),
    }
}

/// The power of a current, by the pack's voltage.
fn current(amps: &str, voltage: Option<&Profile>) -> Option<Profile> {
    let amps: f64 = amps.replace(',', ".").parse().ok().filter(|amps| (1.0..=3_000.0).contains(amps))?;
    let power = voltage?.points().iter().map(|&(soc, volts)| (soc, volts * amps / 1000.0));
    Profile::new(power.collect()).ok()
}

/// A profile as it is typed: one value where it is the same everywhere.
fn over_soc(profile: &Profile) -> String {
    match profile.points() {
        [(_, first), rest @ ..] if rest.iter().all(|(_, value)| value == first) => figures::field(*first),
        [(0.0, empty), (100.0, full)] => format!("{} {}", figures::field(*empty), figures::field(*full)),
        _ => write_points(profile),
    }
}

/// A fault beside the one of two fields that is missing its fellow's.
fn both_or_none(one: bool, other: bool, one_field: &mut Field, other_field: &mut Field) {
    let missing = match (one, other) {
        (true, false) => other_field,
        (false, true) => one_field,
        _ => return,
    };
    missing.fault.get_or_insert_with(|| "needed with the number beside it".into());
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::units::{ConsumptionUnit, DistanceUnit};
    use spare_hour_core::quantity::{Distance, Speed};

    fn fields() -> CarFields {
        CarFields { name: "Tern".into(), usable: "52,5".into(), loss: "8".into(), ..CarFields::default() }
    }

    fn faults(fields: CarFields) -> Vec<(&'static str, String)> {
        let mut form = CarForm::new(fields, Units::default());
        assert!(form.car().is_none());
        let faulty = form.number_fields().into_iter().filter_map(|(name, _, field)| Some((name, field.fault.clone()?)));
        faulty.collect()
    }

    #[test]
    fn what_is_filled_in_becomes_a_car_and_is_shown_again() {
        let full = CarFields {
            range: "400".into(),
            test_range: "310".into(),
            test_speed: "120".into(),
            own: "16,8".into(),
            ac_phases: "3".into(),
            ac_power: "11".into(),
            ac_current: "16".into(),
            ac_loss: "12".into(),
            mass: "1850".into(),
            drag_area: "0.59".into(),
            base: "own".into(),
            pack_voltage: "320 400".into(),
            boost_min: "10".into(),
            boost_start: "50".into(),
            boost_power: "500 A".into(),
            ..fields()
        };
        let car = CarForm::new(full, Units::default()).car().unwrap();
        assert_eq!((car.usable, car.distance_base), (Energy::kwh(52.5), DistanceBase::Own));
        assert_eq!(car.distances.constant_speed, Some((Distance::km(310.0), Speed::kmh(120.0))));
        assert_eq!(
            car.on_board,
            Some(OnBoardCharger {
                current: Some(Current::amps(16.0)),
                loss_percent: Some(12.0),
                ..OnBoardCharger::new(3, Power::kw(11.0))
            })
        );
        let shown = CarForm::of(&Car { id: 1, about: car, curve: None }, Units::default());
        let texts: Vec<&str> = shown.number_fields().iter().map(|field| field.2.text.as_str()).collect();
        assert_eq!(
            texts,
            ["52.5", "8", "400", "310", "120", "16.8", "3", "11", "16", "12", "1850", "0.59", "10", "50"]
        );
        // 500 A are 160 kW at 320 V and 200 at 400.
        let profiles: Vec<&str> = shown.profile_fields().iter().map(|field| field.2.text.as_str()).collect();
        assert_eq!(profiles, ["160 200", "320 400"]);
        assert_eq!(shown.bases().iter().find(|base| base.2).unwrap().0, "own");
    }

    #[test]
    fn a_car_is_typed_in_miles_and_kept_in_kilometres() {
        let units =
            Units { distance: DistanceUnit::Miles, consumption: ConsumptionUnit::MilesPerKwh, ..Units::default() };
        let typed = CarFields { range: "250".into(), own: "3.5".into(), ..fields() };
        let car = CarForm::new(typed, units).car().unwrap();
        assert_eq!(car.distances.rated, Some(Distance::km(402.336)));
        let shown = CarForm::of(&Car { id: 1, about: car, curve: None }, units);
        let fields = shown.number_fields();
        let found =
            |key| fields.iter().find(|field| field.0 == key).map(|field| (field.1.as_str(), field.2.text.as_str()));
        assert_eq!(found("range"), Some(("Rated range, mi", "250")));
        assert_eq!(found("own"), Some(("Own consumption, mi/kWh", "3.5")));
    }

    #[test]
    fn what_is_missing_or_wrong_is_named_beside_its_field() {
        assert_eq!(faults(CarFields { usable: String::new(), ..fields() })[0].0, "usable");
        let half = faults(CarFields { test_range: "300".into(), ..fields() });
        assert_eq!(half, [("test_speed", "needed with the number beside it".to_string())]);
        let wrong = faults(CarFields { ac_phases: "4".into(), own: "x".into(), ..fields() });
        assert_eq!(wrong.iter().map(|fault| fault.0).collect::<Vec<_>>(), ["own", "ac_phases"]);
        let half = faults(CarFields { boost_min: "10".into(), ..fields() });
        assert_eq!(half.iter().map(|fault| fault.0).collect::<Vec<_>>(), ["boost_start"]);
        assert!(CarForm::new(CarFields { name: " ".into(), ..fields() }, Units::default()).car().is_none());
    }
}
