//! The drives of a car as their page shows them.

use spare_hour_core::driving::consumption_fit::{ConsumptionFit, Prediction};
use spare_hour_core::driving::drive::{Drive, Used};
use spare_hour_core::driving::road_load::COMFORT;
use spare_hour_core::quantity::units::{ConsumptionUnit, Units};
use spare_hour_core::quantity::{Consumption, Distance, Energy, Mass, Temperature};
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_planning::drive_trip::body;
use spare_hour_store::{Car, StoredDrive};

use super::charts::{over_speed, over_temperature};
use super::log::{LogView, Part};
use super::{AtForm, OUTSIDE, SPEED};
use crate::charts::Plot;
use spare_hour_wording::figures;

/// A share of the battery whose distance is told: its last tenth.
const LAST: f64 = 0.1;
/// A winter day and a mild one, °C.
const WINTER: f64 = -7.0;
const MILD: f64 = 20.0;

/// A share of consumption: its name and percent.
pub(super) struct Fraction {
    pub(super) name: &'static str,
    pub(super) value: String,
    pub(super) share: String,
}

/// Everything on the page that is figured out.
pub(super) struct DrivesView {
    pub(super) headline: String,
    pub(super) told: String,
    /// The consumption asked for, for the form that makes it the car's own: in kWh/100 km, and as it is told.
    pub(super) own: (String, String),
    /// The unit of consumption.
    pub(super) unit: &'static str,
    pub(super) ranges: Vec<(String, String)>,
    pub(super) terms: Vec<(&'static str, String)>,
    pub(super) fractions: Vec<Fraction>,
    /// The unit of the fractions: the person's, or one that adds up where theirs does not.
    pub(super) fraction_unit: &'static str,
    pub(super) speed: Plot,
    pub(super) temperature: Plot,
    pub(super) log: LogView,
}

/// A distance to a tenth.
fn round(distance: f64) -> f64 {
    (10.0 * distance).round() / 10.0
}

/// A drive in words.
pub(super) fn in_words(drive: &Drive, units: Units) -> String {
    let used = match drive.used {
        Used::Energy(energy) => format!("{} kWh", figures::field(energy.get())),
        Used::Soc(before, after) => format!("{}–{} %", figures::field(before.get()), figures::field(after.get())),
    };
    let mut parts =
        vec![format!("{} {}", figures::field(round(units.distance.of(drive.distance))), units.distance.name()), used];
    match drive.time.zip(drive.speed()) {
        Some((time, speed)) => {
            parts.insert(1, format!("{} at {}", figures::duration(time), figures::speed(units, speed)));
        }
        None => parts.push("a long-run average".into()),
    }
    parts.extend(drive.outside.map(|outside| figures::temperature(units, outside)));
    parts.extend(drive.climb.map(|climb| format!("↑ {:.0} m", climb.get())));
    parts.extend(drive.descent.map(|descent| format!("↓ {:.0} m", descent.get())));
    parts.extend(
        drive.headwind.filter(|wind| wind.get() != 0.0).map(|wind| format!("wind {}", figures::speed(units, wind))),
    );
    parts.extend(drive.load.filter(|load| load.get() != 0.0).map(|load| format!("{:.0} kg", load.get())));
    parts.extend(drive.note.clone());
    parts.join(" · ")
}

impl DrivesView {
    pub(super) fn new(car: &Car, kept: &[StoredDrive], at: &mut AtForm, part: Part) -> Self {
        let usable = car.about.usable;
        let drives: Vec<Drive> = kept.iter().map(|kept| kept.drive.clone()).collect();
        let fit = ConsumptionFit::new(&drives, usable, body(&car.about));
        let units = at.units;
        let speed = at.speed.speed(units, 10.0, 250.0).unwrap_or(SPEED);
        let outside = at.outside.temperature(units, -50.0, 55.0).unwrap_or(OUTSIDE);
        let noted_wind = at.wind.speed(units, -100.0, 100.0);
        let wind = noted_wind.unwrap_or_default();
        let load = Mass::kg(at.load.number(0.0, 2_000.0, "kg").unwrap_or(0.0));
        let asked = fit.predict(speed, outside, noted_wind, load);
        let at_temperature = |celsius| fit.predict(speed, Temperature::celsius(celsius), noted_wind, load).middle;
        Self {
            headline: headline(&asked, units),
            told: told(&fit, usable, &asked, [at_temperature(WINTER), at_temperature(MILD)], units),
            own: (format!("{:.1}", asked.middle.get()), figures::consumption(units, asked.middle)),
            unit: units.consumption.name(),
            ranges: ranges(car, &asked, units),
            terms: terms(&fit, units),
            fractions: fractions(&fit.parts(&fit.conditions(speed, outside, wind, load)), additive(units)),
            fraction_unit: additive(units).name(),
            speed: over_speed(&fit, &drives, usable, outside, units),
            temperature: over_temperature(&fit, &drives, usable, speed, units),
            log: LogView::new(kept, &fit, usable, units, part),
        }
    }
}

fn headline(asked: &Prediction, units: Units) -> String {
    let mut ends = [asked.low, asked.high].map(|end| figures::bare_consumption(units, end));
    if units.consumption.is_reciprocal() {
        ends.reverse();
    }
    let [low, high] = ends;
    format!("{}, {low} to {high} on 19 of 20 such drives", figures::consumption(units, asked.middle))
}

fn range(usable: Energy, consumption: Consumption) -> Distance {
    Distance::km(100.0 * usable.get() / consumption.get())
}

fn told(
    fit: &ConsumptionFit,
    usable: Energy,
    asked: &Prediction,
    [winter, mild]: [Consumption; 2],
    units: Units,
) -> String {
    let last = figures::distance(units, range(usable * LAST, asked.middle));
    let surely = units.distance.of(range(usable * LAST, asked.high));
    let more = 100.0 * (winter.get() / mild.get() - 1.0);
    let rests = match fit.drives {
        0 => "No drive counts yet, so this is a guess from mass and drag area; log a week of drives".to_string(),
        1..=9 => {
            format!("It rests on {} drives and on the car’s mass and drag area; more drives make it surer", fit.drives)
        }
        count => format!("It rests on {count} drives"),
    };
    let unseen = asked.colder_than.map_or(String::new(), |coldest| {
        format!(
            " No drive colder than {} is in the log: what heating and a cold car take is not known, so the interval is wide.",
            figures::temperature(units, coldest)
        )
    });
    format!(
        "The last 10 % are worth {last}, surely {surely:.0}. A winter day of {} takes {more:.0} % more than one of {}. {rests}.{unseen}",
        figures::temperature(units, Temperature::celsius(WINTER)),
        figures::temperature(units, Temperature::celsius(MILD)),
    )
}

/// Ranges from full to empty, side by side.
fn ranges(car: &Car, asked: &Prediction, units: Units) -> Vec<(String, String)> {
    let (distances, usable) = (&car.about.distances, car.about.usable);
    let km = |range: Distance| figures::distance(units, range);
    let mut ranges = vec![(
        "Under these conditions".to_string(),
        format!(
            "{} ({} to {})",
            km(range(usable, asked.middle)),
            km(range(usable, asked.high)),
            km(range(usable, asked.low))
        ),
    )];
    ranges.extend(distances.rated.map(|rated| ("Rated".to_string(), km(rated))));
    ranges.extend(
        distances.constant_speed.map(|(test, speed)| (format!("Test at {}", figures::speed(units, speed)), km(test))),
    );
    let own = distances.range(DistanceBase::Own, usable).zip(distances.own);
    ranges.extend(own.map(|(range, own)| (format!("Own, {}", figures::consumption(units, own)), km(range))));
    ranges
}

fn terms(fit: &ConsumptionFit, units: Units) -> Vec<(&'static str, String)> {
    let [drag, rolling, base, heating] = fit.load.terms();
    let [more_drag, more_rolling, more_base, more_heating] = fit.plus_minus;
    vec![
        ("Drag, CdA/η", format!("{drag:.3} ± {more_drag:.3} m²")),
        ("Rolling, Crr/η", format!("{rolling:.4} ± {more_rolling:.4}")),
        ("Always running", format!("{base:.2} ± {more_base:.2} kW")),
        (
            "Heating",
            format!(
                "{heating:.3} ± {more_heating:.3} kW per kelvin below {} (cooling above {}: half)",
                figures::temperature(units, Temperature::celsius(COMFORT.0)),
                figures::temperature(units, Temperature::celsius(COMFORT.1))
            ),
        ),
        ("Scatter of drives", format!("{:.1} %", 100.0 * fit.scatter)),
    ]
}

/// A unit in which the parts of a consumption add up: the person's, or energy per distance where theirs is the reciprocal.
fn additive(units: Units) -> ConsumptionUnit {
    if units.consumption.is_reciprocal() { ConsumptionUnit::WhPerMile } else { units.consumption }
}

/// What drag, rolling, accessories and heating take, in kWh/100 km, told in a unit.
fn fractions(parts: &[f64], unit: ConsumptionUnit) -> Vec<Fraction> {
    let whole: f64 = parts.iter().sum();
    let names = ["Drag", "Rolling", "Always running", "Heating or cooling"];
    let fraction = |(name, &part): (&'static str, &f64)| Fraction {
        name,
        value: format!("{:.*}", unit.decimals(), unit.of(Consumption::kwh_per_100km(part))),
        share: format!("{:.0} %", 100.0 * part / whole.max(1e-9)),
    };
    names.into_iter().zip(parts).map(fraction).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::forms::field::Field;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::quantity::units::DistanceUnit;
    use spare_hour_formats::read_drive_line;

    #[test]
    fn parts_are_told_in_a_unit_that_adds_up() {
        let told = |unit| {
            let units = Units { consumption: unit, ..Units::default() };
            let parts = fractions(&[10.0, 5.0], additive(units));
            (additive(units).name(), parts.iter().map(|part| part.value.clone()).collect::<Vec<_>>().join(" "))
        };
        assert_eq!(told(ConsumptionUnit::KwhPer100Km), ("kWh/100 km", "10.0 5.0".to_string()));
        // By hand: 10 kWh/100 km are 100 Wh/km, 160.9 Wh/mi.
        assert_eq!(told(ConsumptionUnit::MilesPerKwh), ("Wh/mi", "161 80".to_string()));
    }

    fn at(speed: &str) -> AtForm {
        let field = |text: &str| Field::new(text);
        AtForm {
            speed: field(speed),
            outside: field("10"),
            wind: field("0"),
            load: field("0"),
            units: Units::default(),
        }
    }

    fn car() -> Car {
        Car { id: 1, about: KnownCar::new("Tern", Energy::kwh(60.0), 8.0), curve: None }
    }

    fn kept(lines: &[&str]) -> Vec<StoredDrive> {
        (1..)
            .zip(lines)
            .map(|(id, line)| StoredDrive { id, drive: read_drive_line(line, DistanceUnit::Kilometres).unwrap() })
            .collect()
    }

    #[test]
    fn the_page_says_what_it_rests_on() {
        let none = DrivesView::new(&car(), &[], &mut at("110"), Part::default());
        assert!(none.told.contains("No drive counts yet") && none.log.months.is_empty());
        let lines = [
            "2026-05-01 80 km 60 min 13.1 kWh 12 °C",
            "120 km 75 min 23.5 kWh 8 °C +200 m -180 m",
            "40 km 2 min 7 kWh",
        ];
        let view = DrivesView::new(&car(), &kept(&lines), &mut at("110"), Part::default());
        assert!(view.told.contains("It rests on 2 drives and on the car’s mass"), "{}", view.told);
        assert_eq!((view.log.counted, view.log.found), (2, 3));
        // The newest first; the impossible one has no fit and says why.
        assert_eq!((view.log.months[0].rows[0].id, view.log.months[0].rows[0].fitted.as_str()), (3, "–"));
        assert!(
            view.log.months[0].rows[0].findings[0].contains("1200 km/h on average"),
            "{:?}",
            view.log.months[0].rows[0].findings
        );
        assert_eq!(view.log.months[1].rows[0].consumption, "16.4");
        let whole: f64 = view.fractions.iter().map(|part| part.value.parse::<f64>().unwrap()).sum();
        let said: f64 = view.own.0.parse().unwrap();
        assert!((whole - said).abs() < 0.25, "{whole} for {said}");
    }

    #[test]
    fn what_is_asked_wrongly_is_named_and_the_usual_is_said() {
        let mut at = at("900");
        let view = DrivesView::new(&car(), &[], &mut at, Part::default());
        assert_eq!(at.speed.fault.as_deref(), Some("“900” does not work; expected 10 to 250 km/h"));
        assert_eq!(view.headline, DrivesView::new(&car(), &[], &mut super::tests::at("110"), Part::default()).headline);
    }
}
