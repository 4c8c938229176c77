//! Which of a car's curves a day is planned with: the one that was asked for; on a cold day one that was measured with a cold pack,
//! where there is one; else the one in use. A cold day is never planned on a warm curve in silence.

use spare_hour_core::quantity::Temperature;
use spare_hour_store::{Curve, Store};

use crate::PlanningError;

/// Air below this makes a cold day: a car that stood in it begins with a cold pack, and a drive warms it little (common practice,
/// no published source).
const COLD_DAY: Temperature = Temperature::celsius(5.0);
/// A pack below this charges slower: the same bound as that of the finding of a cold battery.
const COLD_PACK: Temperature = Temperature::celsius(15.0);

/// A curve, and how it suits the day.
#[derive(Clone, Debug, Default)]
pub struct CurveOfDay {
    /// The curve; `None` while the car has none.
    pub curve: Option<Curve>,
    /// How warm the pack was when it was measured, as far as that is known.
    pub pack: Option<Temperature>,
    /// How it suits the day.
    pub suits: Suits,
}

/// How a curve suits the day.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Suits {
    /// The day is not cold.
    #[default]
    AsUsual,
    /// The day is cold, and the curve was measured with a cold pack.
    Cold,
    /// The day is cold, and no cold charge of the car is measured.
    NotKnown,
    /// The day is cold, and a warmer curve was asked for although a cold one is there.
    WarmByChoice,
}

impl CurveOfDay {
    /// The curve of a day with air of a temperature.
    ///
    /// # Errors
    /// When the store refuses.
    pub fn new(
        store: &Store,
        curves: &[Curve],
        (asked, in_use): (Option<i32>, Option<i32>),
        outside: Temperature,
    ) -> Result<Self, PlanningError> {
        let find = |wanted: Option<i32>| curves.iter().find(|curve| Some(curve.id) == wanted).cloned();
        let (asked, usual) = (find(asked), find(in_use));
        if outside >= COLD_DAY {
            return Ok(Self { curve: asked.or(usual), ..Self::default() });
        }
        let pack = |curve: &Curve| match curve.about.session {
            Some(session) => store.battery_at_start(session).map_err(PlanningError::from),
            None => Ok(None),
        };
        let mut cold = Vec::new();
        for curve in curves {
            if let Some(pack) = pack(curve)?.filter(|pack| *pack < COLD_PACK) {
                cold.push((curve, pack));
            }
        }
        let far = |pack: Temperature| (pack.get() - outside.get()).abs();
        let nearest = cold.iter().min_by(|a, b| far(a.1).total_cmp(&far(b.1)));
        let by_choice = asked.is_some();
        let curve = asked.or_else(|| nearest.map(|(curve, _)| (*curve).clone())).or(usual);
        let pack = curve.as_ref().map(pack).transpose()?.flatten();
        let suits = match pack {
            Some(pack) if pack < COLD_PACK => Suits::Cold,
            _ if by_choice && nearest.is_some() => Suits::WarmByChoice,
            _ => Suits::NotKnown,
        };
        Ok(Self { curve, pack, suits })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::profile::Profile;
    use spare_hour_core::session::{Conditions, Reading, Session};
    use spare_hour_store::{NewCurve, NewSession};

    /// A car with a curve for each pack temperature, and the curves' numbers in that order.
    fn car(packs: &[Option<f64>]) -> (tempfile::TempDir, Store, Vec<i32>) {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::open(directory.path()).unwrap();
        let trip = spare_hour_formats::read_trip(include_bytes!("../../../docs/formats/trip.example.json")).unwrap();
        let trip = store.add_trip_with_car(&trip, "Tern", "cr").unwrap();
        let car = store.trip(trip).unwrap().about.car;
        let keep = |pack: &Option<f64>| {
            let conditions = Conditions { battery: pack.map(Temperature::celsius), ..Conditions::default() };
            let readings = vec![Reading::default(); 2];
            let session = Session { readings, conditions };
            let (name, source_name, source_text) = ("one".to_string(), String::new(), String::new());
            let new = NewSession { car: Some(car), name, source_name, source_text, session };
            let session = store.add_session(&new).unwrap();
            let about = NewCurve { session: Some(session), ..NewCurve::new(car, "one", Profile::constant(80.0)) };
            store.add_curve(&about).unwrap()
        };
        let kept = packs.iter().map(keep).collect();
        (directory, store, kept)
    }

    fn of_day(packs: &[Option<f64>], asked: Option<usize>, outside: f64) -> (Option<usize>, Suits) {
        let (_directory, store, kept) = car(packs);
        let car = store.cars().unwrap().remove(0);
        let curves = store.curves_of(car.id).unwrap();
        let asked = asked.map(|place| kept[place]);
        let found = CurveOfDay::new(&store, &curves, (asked, Some(kept[0])), Temperature::celsius(outside)).unwrap();
        let place = found.curve.and_then(|curve| kept.iter().position(|id| *id == curve.id));
        (place, found.suits)
    }

    #[test]
    fn a_cold_day_takes_the_nearest_cold_curve_and_else_says_that_none_is_known() {
        let packs = [Some(28.0), Some(12.0), Some(2.0), None];
        assert_eq!(of_day(&packs, None, 18.0), (Some(0), Suits::AsUsual));
        assert_eq!(of_day(&packs, None, -8.0), (Some(2), Suits::Cold));
        assert_eq!(of_day(&packs, None, 4.9), (Some(2), Suits::Cold));
        assert_eq!(of_day(&packs, Some(1), -8.0), (Some(1), Suits::Cold));
        assert_eq!(of_day(&packs, Some(0), -8.0), (Some(0), Suits::WarmByChoice));
        assert_eq!(of_day(&packs[..1], None, -8.0), (Some(0), Suits::NotKnown));
        assert_eq!(of_day(&packs[3..], None, -8.0), (Some(0), Suits::NotKnown));
    }
}
