//! Lists of cars, one a row, and of their charge curves, one point a row; docs/formats/lists.md lists the columns.

use spare_hour_core::charging::ac_charge::{OnBoardCharger, Post};
use spare_hour_core::charging::car_check;
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::charging::profile::Profile;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::quantity::{Consumption, Current, Distance, Energy, Mass, Minutes, Power, Soc, Speed, Voltage};
use spare_hour_core::session::distance_base::{DistanceBase, Distances};
use spare_hour_core::trip::{Boost, MOST_CURVE_POINTS};

use crate::FormatError;
use crate::table::{
    Column, ListFormat, NewRow, Row, bounded, number, of_number, of_text, read_table, text, told_apart,
};
use spare_hour_core::refused::Bounds;
use spare_hour_wording::refused;

/// Most cars of a list, and most points of a list of curves.
const MOST_CARS: usize = 1_000;
const MOST_POINTS: usize = 100_000;

const USABLE_KWH: Column = bounded("usable_kwh", car_check::USABLE);
const CARS: [Column; 23] = [
    text("name"),
    USABLE_KWH,
    bounded("loss_percent", car_check::LOSS),
    bounded("rated_range_km", car_check::RANGE),
    bounded("test_range_km", car_check::RANGE),
    bounded("test_kmh", car_check::TEST_SPEED),
    bounded("own_kwh_per_100km", car_check::OWN),
    text("distances_by"),
    bounded("ac_phases", car_check::PHASES),
    bounded("ac_kw", car_check::AC_POWER),
    bounded("ac_a", car_check::AC_CURRENT),
    bounded("ac_loss_percent", car_check::LOSS),
    bounded("mass_kg", car_check::MASS),
    bounded("drag_area_m2", car_check::DRAG_AREA),
    text("pack_voltage"),
    bounded("boost_min", car_check::BOOST_TIME),
    bounded("boost_max_start_soc", car_check::BOOST_START),
    text("boost_kw"),
    bounded("home_phases", car_check::PHASES),
    bounded("home_v", car_check::HOME_VOLTAGE),
    bounded("home_a", car_check::AC_CURRENT),
    bounded("home_hours", car_check::HOME_HOURS),
    bounded("home_limit_soc", car_check::HOME_LIMIT),
];
const CURVES: [Column; 6] = [
    text("curve"),
    number("soc", "%", 0.0, 100.0),
    number("kw", "kW", 0.0, 10_000.0),
    number("measured_from_soc", "%", 0.0, 100.0),
    number("measured_to_soc", "%", 0.0, 100.0),
    text("explained"),
];

/// A charge curve of a list.
#[derive(Clone, Debug, PartialEq)]
pub struct ListedCurve {
    /// Name for people.
    pub name: String,
    /// Power into the battery in kW over SoC.
    pub power: Profile,
    /// The SoC range that was measured.
    pub measured: Option<(Soc, Soc)>,
    /// How it came to be, in words.
    pub explained: String,
}

/// The word of a base of distances.
fn base_word(base: DistanceBase) -> &'static str {
    match base {
        DistanceBase::Rated => "rated",
        DistanceBase::ConstantSpeed => "constant-speed",
        DistanceBase::Own => "own",
    }
}

/// Reads cars from the bytes of a CSV or JSON file.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_cars(bytes: &[u8]) -> Result<Vec<KnownCar>, FormatError> {
    read_table(bytes, &CARS, &[&["name"], &["usable_kwh"]], MOST_CARS)?.iter().map(car).collect()
}

fn car(row: &Row) -> Result<KnownCar, FormatError> {
    let name = row.text("name").unwrap_or_default();
    let word = row.text("distances_by").unwrap_or_else(|| "rated".into());
    let base = DistanceBase::ALL.into_iter().find(|base| base_word(*base) == word);
    let charger = row.number("ac_phases").zip(row.number("ac_kw"));
    let test = row.number("test_range_km").zip(row.number("test_kmh"));
    let car = KnownCar {
        distances: Distances {
            rated: row.number("rated_range_km").map(Distance::km),
            constant_speed: test.map(|(km, kmh)| (Distance::km(km), Speed::kmh(kmh))),
            own: row.number("own_kwh_per_100km").map(Consumption::kwh_per_100km),
        },
        distance_base: base
            .ok_or_else(|| row.wrong(format!("distances_by is \"{word}\"; expected rated, constant-speed or own")))?,
        on_board: charger.map(|(phases, kw)| OnBoardCharger {
            current: row.number("ac_a").map(Current::amps),
            loss_percent: row.number("ac_loss_percent"),
            ..OnBoardCharger::new(phases.round() as u32, Power::kw(kw))
        }),
        mass: row.number("mass_kg").map(Mass::kg),
        drag_area: row.number("drag_area_m2"),
        pack_voltage: profile(row, "pack_voltage", car_check::PACK_VOLTAGE)?,
        boost: boost(row)?,
        home: home(row),
        ..KnownCar::new(name, Energy::kwh(row.needed(&USABLE_KWH)?), row.number("loss_percent").unwrap_or(0.0))
    };
    car.check().map_err(|error| row.wrong(format!("{} {}", error.field, refused::fault(&error.fault))))?;
    Ok(car)
}

fn boost(row: &Row) -> Result<Option<Boost>, FormatError> {
    let times = row.number("boost_min").zip(row.number("boost_max_start_soc"));
    let boost = times.zip(profile(row, "boost_kw", car_check::BOOST_POWER)?);
    Ok(boost.map(|((minutes, start), charge_curve)| Boost {
        time: Minutes::new(minutes),
        max_start: Soc::percent(start),
        charge_curve,
    }))
}

fn home(row: &Row) -> Option<HomePost> {
    Some(HomePost {
        post: Post {
            phases: row.number("home_phases")?.round() as u32,
            voltage: Voltage::volts(row.number("home_v")?),
            current: Current::amps(row.number("home_a")?),
        },
        night: Minutes::new(60.0 * row.number("home_hours")?),
        limit: Soc::percent(row.number("home_limit_soc")?),
    })
}

/// Points over SoC in one cell: `0:320 100:400`.
fn profile(row: &Row, name: &str, bounds: Bounds) -> Result<Option<Profile>, FormatError> {
    let Some(text) = row.text(name) else { return Ok(None) };
    let wrong = || row.wrong(format!("{name} is \"{text}\"; expected points over SoC such as 0:320 100:400"));
    read_points(&text, bounds).map(Some).ok_or_else(wrong)
}

/// A profile over SoC from points such as `0:320 100:400`, each value within limits.
pub fn read_points(text: &str, bounds: Bounds) -> Option<Profile> {
    let point = |point: &str| {
        let (soc, value) = point.split_once(':')?;
        let value: f64 =
            value.replace(',', ".").parse().ok().filter(|value| (bounds.low..=bounds.high).contains(value))?;
        Some((soc.replace(',', ".").parse().ok()?, value))
    };
    let points: Option<Vec<(f64, f64)>> = text.split_whitespace().map(point).collect();
    Profile::new(points.filter(|points| points.len() <= MOST_CURVE_POINTS)?).ok()
}

/// The points of a profile, as [`read_points`] reads them.
pub fn write_points(profile: &Profile) -> String {
    profile.points().iter().map(|(soc, value)| format!("{soc}:{value}")).collect::<Vec<_>>().join(" ")
}

/// Writes cars as a list.
pub fn write_cars(cars: &[&KnownCar], format: ListFormat) -> String {
    format.write(&CARS, &cars.iter().map(|car| car_row(car)).collect::<Vec<_>>())
}

fn car_row(car: &KnownCar) -> NewRow {
    let test = car.distances.constant_speed;
    let (boost, home) = (car.boost.as_ref(), car.home.as_ref());
    vec![
        of_text(Some(car.name.clone())),
        of_number(Some(car.usable.get())),
        of_number(Some(car.charge_loss_percent)),
        of_number(car.distances.rated.map(Distance::get)),
        of_number(test.map(|test| test.0.get())),
        of_number(test.map(|test| test.1.get())),
        of_number(car.distances.own.map(Consumption::get)),
        of_text(Some(base_word(car.distance_base).into())),
        of_number(car.on_board.map(|charger| f64::from(charger.phases))),
        of_number(car.on_board.map(|charger| charger.limit.get())),
        of_number(car.on_board.and_then(|charger| charger.current).map(Current::get)),
        of_number(car.on_board.and_then(|charger| charger.loss_percent)),
        of_number(car.mass.map(Mass::get)),
        of_number(car.drag_area),
        of_text(car.pack_voltage.as_ref().map(write_points)),
        of_number(boost.map(|boost| boost.time.get())),
        of_number(boost.map(|boost| boost.max_start.get())),
        of_text(boost.map(|boost| write_points(&boost.charge_curve))),
        of_number(home.map(|home| f64::from(home.post.phases))),
        of_number(home.map(|home| home.post.voltage.get())),
        of_number(home.map(|home| home.post.current.get())),
        of_number(home.map(|home| home.night.get() / 60.0)),
        of_number(home.map(|home| home.limit.get())),
    ]
}

/// Reads charge curves from the bytes of a CSV or JSON file: rows of one name are one curve.
///
/// # Errors
/// The first place that cannot be read, with what is expected there.
pub fn read_curves(bytes: &[u8]) -> Result<Vec<ListedCurve>, FormatError> {
    let rows = read_table(bytes, &CURVES, &[&["soc"], &["kw"]], MOST_POINTS)?;
    let name = |row: &Row| row.text("curve").unwrap_or_else(|| "as imported".into());
    let mut names: Vec<String> = Vec::new();
    for row in &rows {
        if !names.contains(&name(row)) {
            names.push(name(row));
        }
    }
    let of_name = |wanted: String| curve(&wanted, &rows.iter().filter(|row| name(row) == wanted).collect::<Vec<_>>());
    names.into_iter().map(of_name).collect()
}

fn curve(name: &str, rows: &[&Row]) -> Result<ListedCurve, FormatError> {
    let first = rows.first().ok_or_else(|| FormatError::file("has a curve without points"))?;
    let point = |row: &&Row| Ok((row.needed(&CURVES[1])?, row.needed(&CURVES[2])?));
    let points: Vec<(f64, f64)> = rows.iter().map(point).collect::<Result<_, FormatError>>()?;
    if points.len() > MOST_CURVE_POINTS {
        let found = points.len();
        return Err(first.wrong(format!("“{name}” has {found} points; expected at most {MOST_CURVE_POINTS}")));
    }
    if points.iter().any(|&(soc, kw)| kw <= 0.0 && soc < 100.0) {
        return Err(first.wrong(format!("“{name}” has 0 kW below 100 %; expected more than 0 kW")));
    }
    Ok(ListedCurve {
        name: name.into(),
        power: Profile::new(points).map_err(|error| first.wrong(format!("“{name}”: {error}")))?,
        measured: first
            .number("measured_from_soc")
            .zip(first.number("measured_to_soc"))
            .map(|(from, to)| (Soc::percent(from), Soc::percent(to))),
        explained: first.text("explained").unwrap_or_default(),
    })
}

/// Writes charge curves as a list, a point a row.
pub fn write_curves(curves: &[ListedCurve], format: ListFormat) -> String {
    let names = told_apart(curves.iter().map(|curve| curve.name.as_str()));
    let rows = names.iter().zip(curves).flat_map(|(name, curve)| {
        curve.power.points().iter().map(move |&(soc, kw)| {
            vec![
                of_text(Some(name.clone())),
                of_number(Some(soc)),
                of_number(Some(kw)),
                of_number(curve.measured.map(|measured| measured.0.get())),
                of_number(curve.measured.map(|measured| measured.1.get())),
                of_text(Some(curve.explained.clone()).filter(|text| !text.is_empty())),
            ]
        })
    });
    format.write(&CURVES, &rows.collect::<Vec<_>>())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(cars: &[KnownCar]) -> String {
        format!("{cars:?}")
    }

    const CAR: &str = "name,usable_kwh,loss_percent,rated_range_km,test_range_km,test_kmh,own_kwh_per_100km,distances_by,ac_phases,ac_kw,mass_kg,pack_voltage,boost_min,boost_max_start_soc,boost_kw,home_phases,home_v,home_a,home_hours,home_limit_soc\n\
        Avel,74.5,9,455,362,120,18.4,own,3,11,1970,0:320 100:400,10,50,0:170 60:150,3,230,16,9,80\nBrae,58,,,,,,,,,,,,,,,,,,\n";

    #[test]
    fn cars_are_read_and_written_back() {
        let cars = read_cars(CAR.as_bytes()).unwrap();
        assert_eq!((cars[0].usable, cars[0].distance_base), (Energy::kwh(74.5), DistanceBase::Own));
        assert_eq!(cars[0].boost.as_ref().unwrap().charge_curve.at(60.0), 150.0);
        assert_eq!(cars[0].home.unwrap().night, Minutes::new(540.0));
        assert_eq!((cars[1].name.as_str(), cars[1].home, cars[1].on_board), ("Brae", None, None));
        for format in [ListFormat::Csv, ListFormat::Json] {
            let written = write_cars(&cars.iter().collect::<Vec<_>>(), format);
            assert_eq!(told(&read_cars(written.as_bytes()).unwrap()), told(&cars), "{format:?}");
        }
        for (from, to, part) in [
            ("Avel,", ",", "line 2: name is empty"),
            (",own,", ",often,", "line 2: distances_by is \"often\""),
            ("0:320 100:400", "0:320 100", "line 2: pack_voltage is"),
            ("Brae,58", "Brae,", "line 3: usable_kwh is empty"),
        ] {
            let error = read_cars(CAR.replacen(from, to, 1).as_bytes()).unwrap_err().to_string();
            assert!(error.starts_with(part), "{error}");
        }
    }

    #[test]
    fn curves_are_read_and_written_back() {
        let list = "curve,soc,kw,measured_from_soc,measured_to_soc,explained\nwarm,0,90,5,95,by hand\ncold,0,40,,,\nwarm,100,5,,,\n";
        let curves = read_curves(list.as_bytes()).unwrap();
        assert_eq!((curves.len(), curves[0].power.at(50.0), curves[1].power.at(50.0)), (2, 47.5, 40.0));
        assert_eq!(curves[0].measured, Some((Soc::percent(5.0), Soc::percent(95.0))));
        let twice = [curves[0].clone(), curves[0].clone()];
        let names: Vec<String> = read_curves(write_curves(&twice, ListFormat::Csv).as_bytes())
            .unwrap()
            .into_iter()
            .map(|curve| curve.name)
            .collect();
        assert_eq!(names, ["warm", "warm (2)"]);
        for format in [ListFormat::Csv, ListFormat::Json] {
            assert_eq!(read_curves(write_curves(&curves, format).as_bytes()).unwrap(), curves);
        }
        for (text, part) in [
            ("soc,kw\n10,0\n", "line 2: “as imported” has 0 kW below 100 %"),
            ("soc,kw\n10,90\n10,80\n20,\n", "line 4: kw is empty"),
        ] {
            assert!(read_curves(text.as_bytes()).unwrap_err().to_string().starts_with(part), "{text}");
        }
    }
}
