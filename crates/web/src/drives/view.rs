//! The drives of a car as their page shows them.

use spare_hour_core::consumption_fit::{ConsumptionFit, Prediction};
use spare_hour_core::distance_base::DistanceBase;
use spare_hour_core::drive::{Drive, Used};
use spare_hour_core::drive_findings::drive_findings;
use spare_hour_core::quantity::{Consumption, Distance, Energy, Mass, Speed, Temperature};
use spare_hour_store::{Car, StoredDrive};

use super::AtForm;
use super::charts::{over_speed, over_temperature};
use crate::chart::Plot;
use crate::say;

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
    /// The consumption asked for, for the form that makes it the car's own.
    pub(super) own: String,
    pub(super) ranges: Vec<(String, String)>,
    pub(super) terms: Vec<(&'static str, String)>,
    pub(super) fractions: Vec<Fraction>,
    pub(super) speed: Plot,
    pub(super) temperature: Plot,
    pub(super) rows: Vec<DriveRow>,
    pub(super) counted: usize,
}

/// A drive in the table.
pub(super) struct DriveRow {
    pub(super) id: i32,
    pub(super) day: String,
    pub(super) told: String,
    pub(super) consumption: String,
    pub(super) fitted: String,
    pub(super) off: String,
    pub(super) guess: String,
    pub(super) findings: Vec<String>,
    pub(super) left_out: Option<String>,
}

/// A drive in words.
pub(super) fn in_words(drive: &Drive) -> String {
    let used = match drive.used {
        Used::Energy(energy) => format!("{} kWh", say::field(energy.get())),
        Used::Soc(before, after) => format!("{}–{} %", say::field(before.get()), say::field(after.get())),
    };
    let mut parts = vec![
        format!("{} km", say::field(drive.distance.get())),
        format!("{} at {:.0} km/h", say::duration(drive.time), drive.speed().get()),
        used,
    ];
    parts.extend(drive.outside.map(|outside| format!("{:.0} °C", outside.get())));
    parts.extend(drive.climb.map(|climb| format!("↑ {:.0} m", climb.get())));
    parts.extend(drive.descent.map(|descent| format!("↓ {:.0} m", descent.get())));
    parts.extend(drive.headwind.filter(|wind| wind.get() != 0.0).map(|wind| format!("wind {:.0} km/h", wind.get())));
    parts.extend(drive.load.filter(|load| load.get() != 0.0).map(|load| format!("{:.0} kg", load.get())));
    parts.extend(drive.note.clone());
    parts.join(" · ")
}

impl DrivesView {
    pub(super) fn new(car: &Car, kept: &[StoredDrive], at: &mut AtForm) -> Self {
        let usable = car.about.usable;
        let drives: Vec<Drive> = kept.iter().map(|kept| kept.drive.clone()).collect();
        let fit = ConsumptionFit::new(&drives, usable, car.body());
        let speed = Speed::kmh(at.speed.number(10.0, 250.0, "km/h").unwrap_or(110.0));
        let outside = Temperature::celsius(at.outside.number(-50.0, 55.0, "°C").unwrap_or(15.0));
        let wind = Speed::kmh(at.wind.number(-100.0, 100.0, "km/h").unwrap_or(0.0));
        let load = Mass::kg(at.load.number(0.0, 2_000.0, "kg").unwrap_or(0.0));
        let asked = fit.predict(speed, outside, wind, load);
        let at_temperature = |celsius| fit.predict(speed, Temperature::celsius(celsius), wind, load).middle;
        Self {
            headline: headline(&asked),
            told: told(&fit, usable, &asked, at_temperature(WINTER), at_temperature(MILD)),
            own: format!("{:.1}", asked.middle.get()),
            ranges: ranges(car, &asked),
            terms: terms(&fit),
            fractions: fractions(&fit, speed, outside, wind, load),
            speed: over_speed(&fit, &drives, usable, outside),
            temperature: over_temperature(&fit, &drives, usable, speed),
            rows: kept.iter().enumerate().rev().map(|(index, kept)| row(index, kept, &fit, usable)).collect(),
            counted: fit.drives,
        }
    }
}

fn headline(asked: &Prediction) -> String {
    let (low, high) = (asked.low.get(), asked.high.get());
    format!("{:.1} kWh/100 km, {low:.1} to {high:.1} on 19 of 20 such drives", asked.middle.get())
}

fn range(usable: Energy, consumption: Consumption) -> Distance {
    Distance::km(100.0 * usable.get() / consumption.get())
}

fn told(fit: &ConsumptionFit, usable: Energy, asked: &Prediction, winter: Consumption, mild: Consumption) -> String {
    let last = range(usable * LAST, asked.middle).get();
    let surely = range(usable * LAST, asked.high).get();
    let more = 100.0 * (winter.get() / mild.get() - 1.0);
    let rests = match fit.drives {
        0 => "No drive counts yet, so this is a guess from mass and drag area; log a week of drives".to_string(),
        1..=9 => {
            format!("It rests on {} drives and on the car’s mass and drag area; more drives make it surer", fit.drives)
        }
        count => format!("It rests on {count} drives"),
    };
    format!(
        "The last 10 % are worth {last:.0} km, surely {surely:.0}. A winter day of −{:.0} °C takes {more:.0} % more than one of {MILD:.0} °C. {rests}.",
        WINTER.abs(),
    )
}

/// Ranges from full to empty, side by side.
fn ranges(car: &Car, asked: &Prediction) -> Vec<(String, String)> {
    let (distances, usable) = (&car.about.distances, car.about.usable);
    let km = |range: Distance| format!("{:.0} km", range.get());
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
    ranges.extend(distances.constant_speed.map(|(test, speed)| (format!("Test at {:.0} km/h", speed.get()), km(test))));
    let own = distances.range(DistanceBase::Own, usable).zip(distances.own);
    ranges.extend(own.map(|(range, own)| (format!("Own, {:.1} kWh/100 km", own.get()), km(range))));
    ranges
}

fn terms(fit: &ConsumptionFit) -> Vec<(&'static str, String)> {
    let [drag, rolling, base, heating] = fit.load.terms();
    let [more_drag, more_rolling, more_base, more_heating] = fit.plus_minus;
    vec![
        ("Drag, CdA/η", format!("{drag:.3} ± {more_drag:.3} m²")),
        ("Rolling, Crr/η", format!("{rolling:.4} ± {more_rolling:.4}")),
        ("Always running", format!("{base:.2} ± {more_base:.2} kW")),
        ("Heating", format!("{heating:.3} ± {more_heating:.3} kW per kelvin below 16 °C (cooling above 24 °C: half)")),
        ("Scatter of drives", format!("{:.1} %", 100.0 * fit.scatter)),
    ]
}

/// What drag, rolling, accessories and heating take of the consumption asked for.
fn fractions(fit: &ConsumptionFit, speed: Speed, outside: Temperature, wind: Speed, load: Mass) -> Vec<Fraction> {
    let parts = fit.parts(&fit.conditions(speed, outside, wind, load));
    let whole: f64 = parts.iter().sum();
    let names = ["Drag", "Rolling", "Always running", "Heating or cooling"];
    let fraction = |(name, part): (&'static str, f64)| Fraction {
        name,
        value: format!("{part:.1}"),
        share: format!("{:.0} %", 100.0 * part / whole.max(1e-9)),
    };
    names.into_iter().zip(parts).map(fraction).collect()
}

fn row(index: usize, kept: &StoredDrive, fit: &ConsumptionFit, usable: Energy) -> DriveRow {
    let drive = &kept.drive;
    let residual = fit.residuals.iter().find(|residual| residual.drive == index);
    let per_100km = |energy: Energy| 100.0 * energy.get() / drive.distance.get();
    let mut findings: Vec<String> = drive_findings(drive, usable).into_iter().map(|finding| finding.message).collect();
    if residual.is_some_and(|residual| residual.odd) {
        findings.insert(0, "Far off all the others, so it does not count in the fit; look at it again.".into());
    }
    let actual = drive.consumption(usable).get();
    DriveRow {
        id: kept.id,
        day: drive.day.clone().unwrap_or_default(),
        told: in_words(drive),
        consumption: format!("{actual:.1}"),
        fitted: residual.map_or_else(|| "–".into(), |residual| format!("{:.1}", per_100km(residual.fitted))),
        off: residual.map_or_else(String::new, |residual| {
            let percent = 100.0 * (residual.actual.get() / residual.fitted.get() - 1.0);
            format!("{}{:.0} %", if percent < 0.0 { "−" } else { "+" }, percent.abs())
        }),
        guess: drive.guess.map_or_else(String::new, |guess| format!("the car guessed {:.1}", guess.get())),
        findings,
        left_out: drive.left_out.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fields::Field;
    use spare_hour_formats::read_drive_line;
    use spare_hour_core::known_car::KnownCar;

    fn at(speed: &str) -> AtForm {
        let field = |text: &str| Field::new(text);
        AtForm { speed: field(speed), outside: field("10"), wind: field("0"), load: field("0") }
    }

    fn car() -> Car {
        Car { id: 1, about: KnownCar::new("Tern", Energy::kwh(60.0), 8.0), curve: None }
    }

    fn kept(lines: &[&str]) -> Vec<StoredDrive> {
        (1..).zip(lines).map(|(id, line)| StoredDrive { id, drive: read_drive_line(line).unwrap() }).collect()
    }

    #[test]
    fn the_page_says_what_it_rests_on() {
        let none = DrivesView::new(&car(), &[], &mut at("110"));
        assert!(none.told.contains("No drive counts yet") && none.rows.is_empty());
        let lines = [
            "2026-05-01 80 km 60 min 13.1 kWh 12 °C",
            "120 km 75 min 23.5 kWh 8 °C +200 m -180 m",
            "40 km 2 min 7 kWh",
        ];
        let view = DrivesView::new(&car(), &kept(&lines), &mut at("110"));
        assert!(view.told.contains("It rests on 2 drives and on the car’s mass"), "{}", view.told);
        assert_eq!((view.counted, view.rows.len()), (2, 3));
        // The newest first; the impossible one has no fit and says why.
        assert_eq!((view.rows[0].id, view.rows[0].fitted.as_str()), (3, "–"));
        assert!(view.rows[0].findings[0].contains("1200 km/h on average"), "{:?}", view.rows[0].findings);
        assert_eq!(view.rows[2].consumption, "16.4");
        let whole: f64 = view.fractions.iter().map(|part| part.value.parse::<f64>().unwrap()).sum();
        let said: f64 = view.own.parse().unwrap();
        assert!((whole - said).abs() < 0.25, "{whole} for {said}");
    }

    #[test]
    fn what_is_asked_wrongly_is_named_and_the_usual_is_said() {
        let mut at = at("900");
        let view = DrivesView::new(&car(), &[], &mut at);
        assert_eq!(at.speed.fault.as_deref(), Some("“900” does not work; expected 10 to 250 km/h"));
        assert_eq!(view.headline, DrivesView::new(&car(), &[], &mut super::tests::at("110")).headline);
    }
}
