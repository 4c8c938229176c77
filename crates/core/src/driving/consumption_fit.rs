//! From logged drives to a car's road load: what drag, rolling, accessories and heating take, and how sure that is.
//!
//! Energy of a drive = terms · features + climbing. The terms are fitted by non-negative least squares, each drive weighed
//! by its error: what its displays hide, and a scatter of 4 % that is learned from the residuals. Terms that few drives
//! tell little of are held by a prior from the car's mass and drag area; as drives come, it fades. A drive far off the
//! others counts less (Huber 1964, Annals of Mathematical Statistics 35 (1)) and is pointed at.
//! Intervals are Student's, with the prior counting as four drives.

use nalgebra::{DMatrix, DVector};

use crate::driving::drive::Drive;
use crate::driving::drive_findings::counts;
use crate::driving::least_squares::{NonNegative, non_negative};
use crate::driving::road_load::{Conditions, Features, RoadLoad, climb_energy, features};
use crate::quantity::{Consumption, Distance, Energy, Height, Mass, Speed, Temperature};

/// Scatter of drives that the model knows nothing of, share of their energy, before drives say otherwise.
const SCATTER: f64 = 0.04;
/// What that guess counts as, drives.
const GUESS_COUNTS: f64 = 4.0;
/// Standardised residual from which on a drive counts less.
const HUBER: f64 = 1.5;
/// Standardised residual from which on a drive is odd and does not count.
const ODD: f64 = 4.0;
/// Rounds of weighing.
const ROUNDS: usize = 12;
/// Temperature taken where none was noted, °C: neither heated nor cooled.
const UNKNOWN_CELSIUS: f64 = 18.0;
/// Standard deviation of a wind along the road that nobody noted. Common practice, no published source, as the next three.
const UNKNOWN_WIND: Speed = Speed::kmh(6.0);
/// Kelvin below the coldest drive that are still like it.
const SEEN_WITHIN: f64 = 2.0;
/// How far cars differ in what a kelvin of heating takes, kW: some have a heat pump.
const UNSEEN_HEATING: f64 = 0.06;
/// How far cars differ in what else a kelvin of cold takes (air, tyres, the cold pack), share of consumption.
const UNSEEN_COLD: f64 = 0.003;
/// Mean speed of a long-run average, which mixes town and motorway. Common practice, no published source, as the next.
const LONG_RUN_SPEED: Speed = Speed::kmh(60.0);
/// How far its energy may be from that of a drive at that speed in mild weather, as a standard deviation, share.
const LONG_RUN_ERROR: f64 = 0.15;
/// Mass of the driver, kg.
const DRIVER: f64 = 80.0;
/// Efficiency in the prior, battery to wheel.
const EFFICIENCY: f64 = 0.88;
/// Rolling resistance in the prior.
const ROLLING: f64 = 0.0100;

/// What is known of a car before any drive.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Body {
    /// Empty mass.
    pub mass: Mass,
    /// Drag area CdA in m².
    pub drag_area: f64,
}

impl Default for Body {
    /// A middling car: 1,900 kg, 0.62 m².
    fn default() -> Self {
        Self { mass: Mass::kg(1900.0), drag_area: 0.62 }
    }
}

/// A drive beside what the fit says of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Residual {
    /// Which of the drives.
    pub drive: usize,
    /// What it took.
    pub actual: Energy,
    /// What the fit says.
    pub fitted: Energy,
    /// The difference in standard deviations.
    pub deviations: f64,
    /// Whether it is so far off that it does not count.
    pub odd: bool,
}

/// A prediction with the interval that 19 of 20 drives fall into.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Prediction {
    /// The middle.
    pub middle: Consumption,
    /// One of forty drives takes less.
    pub low: Consumption,
    /// One of forty drives takes more.
    pub high: Consumption,
    /// The coldest drive that counts, where the prediction is for colder weather than any: what cold takes is then a guess.
    pub colder_than: Option<Temperature>,
}

/// A fitted road load.
#[derive(Clone, Debug)]
pub struct ConsumptionFit {
    /// The terms.
    pub load: RoadLoad,
    /// Half of each term's interval, 19 times in 20, in the order of [`RoadLoad::terms`].
    pub plus_minus: Features,
    /// Drives that count.
    pub drives: usize,
    /// Each counted drive beside the fit.
    pub residuals: Vec<Residual>,
    /// Scatter of drives, share of their energy.
    pub scatter: f64,
    body: Body,
    inverse: DMatrix<f64>,
    scale: f64,
    /// Outside on the coldest drive that counts.
    coldest: Option<Temperature>,
}

/// A drive as the fit sees it.
struct Observation {
    drive: usize,
    features: Features,
    /// Energy less climbing and metered heating, kWh.
    energy: f64,
    actual: f64,
    error: f64,
}

impl ConsumptionFit {
    /// The fit of a car's drives; of none, the prior.
    pub fn new(drives: &[Drive], usable: Energy, body: Body) -> Self {
        let seen: Vec<Observation> = (0..drives.len())
            .filter(|&index| counts(&drives[index], usable))
            .map(|index| Observation::new(index, &drives[index], usable, body))
            .collect();
        let outside = seen.iter().filter_map(|seen| drives[seen.drive].outside);
        let coldest = outside.reduce(|a, b| if b < a { b } else { a });
        let mut weights = vec![1.0; seen.len()];
        let mut fit = Self::weighed(&seen, &weights, body, 1.0);
        for round in 0..ROUNDS {
            for (weight, observation) in weights.iter_mut().zip(&seen) {
                let off = fit.deviations(observation).abs();
                // Gross ones are dropped only once the fit has settled.
                *weight = if round >= ROUNDS / 2 && off > ODD { 0.0 } else { (HUBER / off.max(1e-9)).min(1.0) };
            }
            let scale = fit.scale;
            fit = Self::weighed(&seen, &weights, body, scale);
        }
        fit.coldest = coldest;
        fit.residuals = seen.iter().zip(&weights).map(|(seen, &weight)| fit.residual(seen, weight)).collect();
        fit
    }

    fn weighed(seen: &[Observation], weights: &[f64], body: Body, scale: f64) -> Self {
        let prior = prior(body);
        let rows = seen.len() + prior.len();
        let mut x = DMatrix::zeros(rows, prior.len());
        let mut y = DVector::zeros(rows);
        for (row, (observation, weight)) in seen.iter().zip(weights).enumerate() {
            let share = weight.sqrt() / observation.deviation(scale);
            for (column, feature) in observation.features.iter().enumerate() {
                x[(row, column)] = feature * share;
            }
            y[row] = observation.energy * share;
        }
        for (column, (middle, deviation)) in prior.iter().enumerate() {
            x[(seen.len() + column, column)] = 1.0 / deviation;
            y[seen.len() + column] = middle / deviation;
        }
        let answer = non_negative(&x, &y).unwrap_or_else(|| NonNegative {
            terms: prior.iter().map(|term| term.0).collect(),
            inverse: DMatrix::identity(prior.len(), prior.len()),
            squares: 0.0,
        });
        Self::of_answer(seen, weights, body, scale, &answer)
    }

    fn of_answer(seen: &[Observation], weights: &[f64], body: Body, scale: f64, answer: &NonNegative) -> Self {
        let terms: Features = std::array::from_fn(|index| answer.terms[index]);
        let counted: f64 = weights.iter().sum();
        let mut fit = Self {
            load: RoadLoad::of_terms(terms),
            plus_minus: [0.0; 4],
            drives: seen.len(),
            residuals: Vec::new(),
            scatter: SCATTER * scale,
            body,
            inverse: answer.inverse.clone(),
            scale,
            coldest: None,
        };
        let squares: f64 =
            seen.iter().zip(weights).map(|(seen, weight)| weight * (fit.deviations(seen) * scale).powi(2)).sum();
        fit.scale = ((GUESS_COUNTS + squares) / (GUESS_COUNTS + counted)).sqrt().clamp(0.25, 8.0);
        fit.scatter = SCATTER * fit.scale;
        let wide = student(GUESS_COUNTS + counted);
        fit.plus_minus = std::array::from_fn(|index| wide * answer.inverse[(index, index)].max(0.0).sqrt());
        fit
    }

    fn deviations(&self, seen: &Observation) -> f64 {
        (seen.energy - dot(&self.load.terms(), &seen.features)) / seen.deviation(self.scale)
    }

    fn residual(&self, seen: &Observation, weight: f64) -> Residual {
        let deviations = self.deviations(seen);
        let difference = seen.energy - dot(&self.load.terms(), &seen.features);
        Residual {
            drive: seen.drive,
            actual: Energy::kwh(seen.actual),
            fitted: Energy::kwh(seen.actual - difference),
            deviations,
            odd: weight == 0.0,
        }
    }

    /// Consumption of one drive on a level road under conditions, with its interval; `load` is beside the driver. A wind
    /// that is not known widens the interval, and so does weather colder than any drive has seen.
    pub fn predict(&self, speed: Speed, outside: Temperature, headwind: Option<Speed>, load: Mass) -> Prediction {
        let at = |wind: Speed| features(Distance::km(100.0), &self.conditions(speed, outside, wind, load));
        let features = at(headwind.unwrap_or_default());
        let middle = dot(&self.load.terms(), &features);
        let row = DVector::from_row_slice(&features);
        let unsure = (row.transpose() * &self.inverse * &row)[(0, 0)].max(0.0);
        let by_wind = match headwind {
            Some(_) => 0.0,
            None => dot(&self.load.terms(), &at(UNKNOWN_WIND)) - middle,
        };
        let unseen = self.coldest.map_or(0.0, |coldest| (coldest.get() - outside.get() - SEEN_WITHIN).max(0.0));
        let by_cold = unseen * (UNSEEN_HEATING * 100.0 / speed.get()).hypot(UNSEEN_COLD * middle);
        let known = unsure + (self.scatter * middle).powi(2);
        let deviation = (known + by_wind.powi(2) + by_cold.powi(2)).sqrt();
        let half = student(GUESS_COUNTS + self.drives as f64) * deviation;
        Prediction {
            middle: Consumption::kwh_per_100km(middle),
            low: Consumption::kwh_per_100km((middle - half).max(0.0)),
            high: Consumption::kwh_per_100km(middle + half),
            colder_than: self.coldest.filter(|_| unseen > 0.0),
        }
    }

    /// The conditions of a drive at sea level; `load` is beside the driver.
    pub fn conditions(&self, speed: Speed, outside: Temperature, headwind: Speed, load: Mass) -> Conditions {
        conditions(self.body, speed, outside, headwind, load)
    }

    /// What each term takes of the consumption on a level road, kWh/100 km, in the order of [`RoadLoad::terms`].
    pub fn parts(&self, conditions: &Conditions) -> Features {
        let features = features(Distance::km(100.0), conditions);
        let terms = self.load.terms();
        std::array::from_fn(|index| terms[index] * features[index])
    }

    /// The car that was driven.
    pub fn body(&self) -> Body {
        self.body
    }
}

impl Observation {
    fn new(index: usize, drive: &Drive, usable: Energy, body: Body) -> Self {
        let outside = drive.outside.unwrap_or(Temperature::celsius(UNKNOWN_CELSIUS));
        let load = drive.load.unwrap_or_default();
        let speed = drive.speed().unwrap_or(LONG_RUN_SPEED);
        let conditions = conditions(body, speed, outside, drive.headwind.unwrap_or_default(), load);
        let mut features = features(drive.distance, &conditions);
        let (climb, descent) = (drive.climb.unwrap_or_default(), drive.descent.unwrap_or_default());
        let (drawn, returned) = climb_energy(conditions.mass, climb, descent);
        let hours = drive.distance.get() / speed.get();
        let heating = drive.heating.map_or(0.0, |heating| heating.get() * hours);
        if drive.heating.is_some() {
            features[3] = 0.0;
        }
        let actual = drive.energy(usable).get();
        Self {
            drive: index,
            features,
            energy: actual - drawn.get() + returned.get() - heating,
            actual,
            error: drive.energy_error(usable).get().hypot(if drive.time.is_some() {
                0.0
            } else {
                LONG_RUN_ERROR * actual
            }),
        }
    }

    /// Standard deviation of the drive's energy, kWh, with the scatter scaled.
    fn deviation(&self, scale: f64) -> f64 {
        (self.error.powi(2) + (SCATTER * scale * self.actual.abs().max(0.5)).powi(2)).sqrt()
    }
}

fn conditions(body: Body, speed: Speed, outside: Temperature, headwind: Speed, load: Mass) -> Conditions {
    let mass = Mass::kg(body.mass.get() + DRIVER + load.get());
    Conditions { speed, headwind, outside, height: Height::metres(0.0), mass }
}

/// Middle and standard deviation of each term before any drive.
fn prior(body: Body) -> [(f64, f64); 4] {
    let drag = body.drag_area / EFFICIENCY;
    let rolling = ROLLING / EFFICIENCY;
    [(drag, 0.35 * drag), (rolling, 0.30 * rolling), (0.5, 0.4), (0.10, 0.06)]
}

fn dot(a: &Features, b: &Features) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

/// How many standard deviations 19 of 20 of a Student distribution lie within (Abramowitz and Stegun 1964, 26.7.5).
fn student(degrees: f64) -> f64 {
    let z = 1.959_964_f64;
    let (z3, z5, z7) = (z.powi(3), z.powi(5), z.powi(7));
    z + (z3 + z) / (4.0 * degrees)
        + (5.0 * z5 + 16.0 * z3 + 3.0 * z) / (96.0 * degrees.powi(2))
        + (3.0 * z7 + 19.0 * z5 + 17.0 * z3 - 15.0 * z) / (384.0 * degrees.powi(3))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn students_quantiles_are_those_of_the_tables() {
        // Abramowitz and Stegun 1964, table 26.10, recalled from memory: 2.571, 2.228 and 2.042 for 5, 10 and 30 degrees.
        for (degrees, quantile) in [(5.0, 2.571), (10.0, 2.228), (30.0, 2.042)] {
            assert!((student(degrees) - quantile).abs() < 0.004, "{degrees}: {}", student(degrees));
        }
    }

    #[test]
    fn without_drives_the_prior_stands() {
        let fit = ConsumptionFit::new(&[], Energy::kwh(60.0), Body::default());
        let at = fit.predict(Speed::kmh(110.0), Temperature::celsius(18.0), Some(Speed::kmh(0.0)), Mass::kg(0.0));
        assert!((14.0..22.0).contains(&at.middle.get()), "{at:?}");
        assert!(at.low.get() < 0.8 * at.middle.get() && at.high.get() > 1.2 * at.middle.get());
    }
}
