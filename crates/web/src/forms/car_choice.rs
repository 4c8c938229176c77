//! Choosing a car on a page: the one that is asked for, and the options of the field.

use spare_hour_store::Car;

use crate::http::error::WebError;

/// The car that is asked for, else the first there is.
pub(crate) fn chosen(cars: &[Car], asked: Option<i32>) -> Result<Option<&Car>, WebError> {
    match asked {
        Some(id) => Ok(Some(cars.iter().find(|car| car.id == id).ok_or(WebError::NotFound)?)),
        None => Ok(cars.first()),
    }
}

/// Cars as options of a field: number, name, whether it is chosen.
pub(crate) fn options(cars: &[Car], chosen: Option<i32>) -> Vec<(i32, String, bool)> {
    cars.iter().map(|car| (car.id, car.about.name.clone(), Some(car.id) == chosen)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::quantity::Energy;

    #[test]
    fn the_first_is_chosen_unless_another_is_asked_for() {
        let car = |id| Car { id, about: KnownCar::new(format!("car {id}"), Energy::kwh(60.0), 8.0), curve: None };
        let cars = [car(4), car(7)];
        let id = |asked| chosen(&cars, asked).map(|car| car.map(|car| car.id)).ok();
        assert_eq!([id(None), id(Some(7)), id(Some(9))], [Some(Some(4)), Some(Some(7)), None]);
        assert!(chosen(&[], None).is_ok_and(|car| car.is_none()));
        assert_eq!(options(&cars, Some(7)), [(4, "car 4".to_string(), false), (7, "car 7".to_string(), true)]);
    }
}
