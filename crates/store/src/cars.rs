//! Cars: what the planner needs to know of each, and which of its curves plans use.

use diesel::prelude::*;
use spare_hour_core::charging::ac_charge::{OnBoardCharger, Post};
use spare_hour_core::charging::known_car::KnownCar;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::quantity::{Consumption, Current, Distance, Energy, Mass, Minutes, Power, Soc, Speed, Voltage};
use spare_hour_core::session::distance_base::{DistanceBase, Distances};

use crate::connection::Store;
use crate::profile_json::{read_boost, read_profile, write_boost, write_profile};
use crate::schema::{cars, curves, trips};
use crate::{Result, StoreError, Thing};

/// A car that is kept.
#[derive(Clone, Debug)]
pub struct Car {
    /// Its number.
    pub id: i32,
    /// What is known of it.
    pub about: KnownCar,
    /// The curve that plans use.
    pub curve: Option<i32>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = cars)]
struct Row {
    id: i32,
    name: String,
    pack_voltage: Option<String>,
    boost: Option<String>,
    curve_id: Option<i32>,
    #[diesel(embed)]
    numbers: Numbers,
    #[diesel(embed)]
    home: HomeNumbers,
}

/// What a person may change of a car.
#[derive(AsChangeset, Insertable, Queryable, Selectable)]
#[diesel(table_name = cars, treat_none_as_null = true)]
struct Numbers {
    usable_kwh: f64,
    rated_range_km: Option<f64>,
    charge_loss_percent: f64,
    test_range_km: Option<f64>,
    test_kmh: Option<f64>,
    own_kwh_per_100km: Option<f64>,
    distance_base: String,
    ac_phases: Option<i32>,
    ac_kw: Option<f64>,
    ac_a: Option<f64>,
    ac_loss_percent: Option<f64>,
    mass_kg: Option<f64>,
    drag_area_m2: Option<f64>,
}

#[derive(Insertable)]
#[diesel(table_name = cars)]
struct NewRow<'a> {
    name: &'a str,
    pack_voltage: Option<String>,
    boost: Option<String>,
    #[diesel(embed)]
    numbers: Numbers,
    #[diesel(embed)]
    home: HomeNumbers,
}

/// Charging at home.
#[derive(AsChangeset, Default, Insertable, Queryable, Selectable)]
#[diesel(table_name = cars, treat_none_as_null = true)]
struct HomeNumbers {
    home_phases: Option<i32>,
    home_v: Option<f64>,
    home_a: Option<f64>,
    home_hours: Option<f64>,
    home_limit_soc: Option<f64>,
}

impl HomeNumbers {
    fn new(home: Option<&HomePost>) -> Self {
        home.map_or_else(Self::default, |home| Self {
            home_phases: i32::try_from(home.post.phases).ok(),
            home_v: Some(home.post.voltage.get()),
            home_a: Some(home.post.current.get()),
            home_hours: Some(home.night.get() / 60.0),
            home_limit_soc: Some(home.limit.get()),
        })
    }

    fn home(&self) -> Option<HomePost> {
        let post = Post {
            phases: u32::try_from(self.home_phases?).ok()?,
            voltage: Voltage::volts(self.home_v?),
            current: Current::amps(self.home_a?),
        };
        let night = Minutes::new(60.0 * self.home_hours?);
        Some(HomePost { post, night, limit: Soc::percent(self.home_limit_soc?) })
    }
}

impl Numbers {
    fn new(car: &KnownCar) -> Self {
        Self {
            usable_kwh: car.usable.get(),
            rated_range_km: car.distances.rated.map(Distance::get),
            charge_loss_percent: car.charge_loss_percent,
            test_range_km: car.distances.constant_speed.map(|test| test.0.get()),
            test_kmh: car.distances.constant_speed.map(|test| test.1.get()),
            own_kwh_per_100km: car.distances.own.map(Consumption::get),
            distance_base: match car.distance_base {
                DistanceBase::Rated => "rated",
                DistanceBase::ConstantSpeed => "constant-speed",
                DistanceBase::Own => "own",
            }
            .into(),
            ac_phases: car.on_board.and_then(|charger| i32::try_from(charger.phases).ok()),
            ac_kw: car.on_board.map(|charger| charger.limit.get()),
            ac_a: car.on_board.and_then(|charger| charger.current).map(Current::get),
            ac_loss_percent: car.on_board.and_then(|charger| charger.loss_percent),
            mass_kg: car.mass.map(Mass::get),
            drag_area_m2: car.drag_area,
        }
    }

    fn distances(&self) -> Distances {
        let test = self.test_range_km.zip(self.test_kmh);
        Distances {
            rated: self.rated_range_km.map(Distance::km),
            constant_speed: test.map(|(range, speed)| (Distance::km(range), Speed::kmh(speed))),
            own: self.own_kwh_per_100km.map(Consumption::kwh_per_100km),
        }
    }

    fn distance_base(&self) -> DistanceBase {
        match self.distance_base.as_str() {
            "constant-speed" => DistanceBase::ConstantSpeed,
            "own" => DistanceBase::Own,
            _ => DistanceBase::Rated,
        }
    }

    fn on_board(&self) -> Option<OnBoardCharger> {
        let phases = u32::try_from(self.ac_phases?).ok()?;
        Some(OnBoardCharger {
            current: self.ac_a.map(Current::amps),
            loss_percent: self.ac_loss_percent,
            ..OnBoardCharger::new(phases, Power::kw(self.ac_kw?))
        })
    }
}

impl Row {
    fn car(self) -> Result<Car> {
        Ok(Car {
            id: self.id,
            about: KnownCar {
                name: self.name,
                usable: Energy::kwh(self.numbers.usable_kwh),
                distances: self.numbers.distances(),
                distance_base: self.numbers.distance_base(),
                on_board: self.numbers.on_board(),
                mass: self.numbers.mass_kg.map(Mass::kg),
                drag_area: self.numbers.drag_area_m2,
                charge_loss_percent: self.numbers.charge_loss_percent,
                pack_voltage: self.pack_voltage.as_deref().map(read_profile).transpose()?,
                boost: self.boost.as_deref().map(read_boost).transpose()?,
                home: self.home.home(),
            },
            curve: self.curve_id,
        })
    }
}

/// Writes a car over a connection that may be in the middle of a larger change.
pub(crate) fn insert(connection: &mut SqliteConnection, car: &KnownCar) -> Result<i32> {
    car.check()?;
    let row = NewRow {
        name: &car.name,
        numbers: Numbers::new(car),
        pack_voltage: car.pack_voltage.as_ref().map(write_profile).transpose()?,
        boost: car.boost.as_ref().map(write_boost).transpose()?,
        home: HomeNumbers::new(car.home.as_ref()),
    };
    Ok(diesel::insert_into(cars::table).values(&row).returning(cars::id).get_result(connection)?)
}

/// Makes a curve of a car the one that plans use.
pub(crate) fn use_curve(connection: &mut SqliteConnection, car: i32, curve: i32) -> Result<()> {
    let owned = curves::table.filter(curves::id.eq(curve)).filter(curves::car_id.eq(car)).count();
    if owned.get_result::<i64>(connection)? == 0 {
        return Err(StoreError::NotFound { what: "curve of this car", id: curve });
    }
    diesel::update(cars::table.find(car)).set(cars::curve_id.eq(curve)).execute(connection)?;
    Ok(())
}

impl Store {
    /// Keeps a car and returns its number.
    ///
    /// # Errors
    /// [`StoreError::Refused`] for a number that cannot be.
    pub fn add_car(&self, car: &KnownCar) -> Result<i32> {
        insert(&mut *self.connection()?, car)
    }

    /// All cars, oldest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn cars(&self) -> Result<Vec<Car>> {
        let hidden = self.hidden()?;
        let rows: Vec<Row> = cars::table.select(Row::as_select()).order(cars::id).load(&mut *self.connection()?)?;
        rows.into_iter().filter(|row| !hidden.car(Some(row.id))).map(Row::car).collect()
    }

    /// One car.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn car(&self, id: i32) -> Result<Car> {
        self.must_see(Thing::Car(id))?;
        let row: Option<Row> =
            cars::table.find(id).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        row.ok_or(StoreError::NotFound { what: "car", id })?.car()
    }

    /// Changes the name, the numbers, the boost and the pack voltage of a car; its home stays.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none; [`StoreError::Refused`] for a number that cannot be.
    pub fn change_car(&self, id: i32, car: &KnownCar) -> Result<()> {
        car.check()?;
        let change = (
            cars::name.eq(&car.name),
            Numbers::new(car),
            cars::boost.eq(car.boost.as_ref().map(write_boost).transpose()?),
            cars::pack_voltage.eq(car.pack_voltage.as_ref().map(write_profile).transpose()?),
        );
        let changed = diesel::update(cars::table.find(id)).set(change).execute(&mut *self.connection()?)?;
        if changed == 0 { Err(StoreError::NotFound { what: "car", id }) } else { Ok(()) }
    }

    /// Changes where a car charges at home.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn change_home(&self, id: i32, home: Option<&HomePost>) -> Result<()> {
        let change = diesel::update(cars::table.find(id)).set(HomeNumbers::new(home));
        let changed = change.execute(&mut *self.connection()?)?;
        if changed == 0 { Err(StoreError::NotFound { what: "car", id }) } else { Ok(()) }
    }

    /// Removes a car with its curves. Its sessions stay, without a car.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none; [`StoreError::Needed`] when a trip is driven with it.
    pub fn remove_car(&self, id: i32) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            let trips: Vec<String> = trips::table.filter(trips::car_id.eq(id)).select(trips::name).load(connection)?;
            if let Some(trip) = trips.first() {
                return Err(StoreError::Needed {
                    what: "car", id, by: format!("the trip “{trip}” is driven with it")
                });
            }
            match diesel::delete(cars::table.find(id)).execute(connection)? {
                0 => Err(StoreError::NotFound { what: "car", id }),
                _ => Ok(()),
            }
        })
    }

    /// Makes a curve of a car the one that plans use.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the car has no such curve.
    pub fn use_curve(&self, car: i32, curve: i32) -> Result<()> {
        use_curve(&mut *self.connection()?, car, curve)
    }
}
