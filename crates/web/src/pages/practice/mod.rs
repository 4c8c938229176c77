//! Practice: ten charges with a hidden future. One decides when to leave, then sees what that cost against the best.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use axum::response::Response;
use serde::Deserialize;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Minutes, Soc};
use spare_hour_core::trip::Vehicle;
use spare_hour_planner::StopSign;
use spare_hour_planning::drive_trip::vehicle;
use spare_hour_planning::practice::{Ended, Hidden, LONGEST, Round};
use spare_hour_store::{Car, Store};
use spare_hour_wording::{advice, figures};

use crate::app::App;
use crate::charts::{Line, Plot, path, ticks, x_scale, y_scale};
use crate::forms::car_choice;
use crate::http::address::query;
use crate::http::error::{WebError, page};
use crate::layout::Frame;

/// Rounds of a game.
const ROUNDS: usize = 10;

#[derive(Template)]
#[template(path = "practice/show.html")]
struct PracticePage {
    frame: Frame,
    cars: Vec<(i32, String, bool)>,
    /// What is played; none while there is no car with a curve.
    play: Option<Play>,
}

/// A round as it stands.
struct Play {
    round: usize,
    road: String,
    /// What the display shows.
    soc: String,
    kw: String,
    clock: String,
    plot: Plot,
    /// Addresses of waiting so many minutes more, and of leaving now.
    waits: Vec<(u32, String)>,
    leave: String,
    /// How it ended.
    ended: Option<EndView>,
    /// Scores of the rounds before, and this one where it has ended.
    scores: Vec<String>,
    mean: Option<String>,
}

struct EndView {
    cost: String,
    told: Vec<String>,
    next: Option<String>,
    again: String,
}

/// What an address asks: the car, the game, the round, how long one has waited, whether one has left, and what the rounds before cost.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct Ask {
    car: Option<i32>,
    game: u32,
    round: usize,
    minutes: u32,
    left: bool,
    scores: String,
}

impl Ask {
    fn address(&self) -> String {
        let pairs = [
            ("car", self.car.map(|car| car.to_string()).unwrap_or_default()),
            ("game", self.game.to_string()),
            ("round", self.round.to_string()),
            ("minutes", self.minutes.to_string()),
            ("left", self.left.to_string()),
            ("scores", self.scores.clone()),
        ];
        format!("/practice?{}", query(pairs.into_iter().filter(|(_, value)| !value.is_empty())))
    }

    /// What the rounds before cost, minutes.
    fn scores(&self) -> Vec<f64> {
        let read = self.scores.split('_').filter_map(|score| score.parse::<f64>().ok());
        read.filter(|score| score.is_finite()).take(ROUNDS).collect()
    }
}

/// A round.
pub(crate) async fn show(State(app): State<App>, Query(ask): Query<Ask>) -> Result<Response, WebError> {
    let frame = Frame::new(&app, "road", "Practice");
    let (units, here) = (app.units().await?, app.here.clone());
    let ask = Ask { game: if ask.game == 0 { fresh_game(here.now().as_second()) } else { ask.game }, ..ask };
    let at = here.now().to_zoned_datetime(here.zone().clone());
    let shown = app.run_while_waiting(move |store, stop| {
        let cars = store.cars()?;
        let chosen = car_choice::chosen(&cars, ask.car)?;
        let car = chosen.map(|car| car.id);
        let driven = chosen.map(|car| with_curve(store, car)).transpose()?.flatten();
        let ask = Ask { car, ..ask };
        let round = driven.and_then(|vehicle| Round::new(vehicle, seed(&ask), &at).ok());
        let play = round.map(|round| Play::new(&ask, &round, units, stop));
        Ok(PracticePage { frame, cars: car_choice::options(&cars, car), play })
    });
    Ok(page(StatusCode::OK, &shown.await?))
}

fn fresh_game(second: i64) -> u32 {
    1 + second.unsigned_abs() as u32 % 1_000_000
}

fn seed(ask: &Ask) -> u64 {
    u64::from(ask.game) * 100 + ask.round as u64
}

fn with_curve(store: &Store, car: &Car) -> Result<Option<Vehicle>, WebError> {
    let curve = car.curve.map(|curve| store.curve(curve)).transpose()?;
    Ok(curve.map(|curve| vehicle(&car.about, curve.about.power)))
}

impl Play {
    fn new(ask: &Ask, round: &Round, units: Units, stop: &StopSign) -> Self {
        let minutes = f64::from(ask.minutes).min(LONGEST);
        let session = round.session(minutes);
        let last = session.readings.last().cloned().unwrap_or_default();
        let ended = if ask.left { round.ended(minutes, stop) } else { None };
        let mut scores = ask.scores();
        scores.extend(ended.as_ref().and_then(cost));
        let (length, here, next) = round.road();
        let wait = |more: u32| (more, Ask { minutes: ask.minutes.saturating_add(more), ..ask.clone() }.address());
        let mean = (!scores.is_empty()).then(|| scores.iter().sum::<f64>() / scores.len() as f64);
        Self {
            round: ask.round + 1,
            road: format!(
                "{} to go. This stall gives up to {:.0} kW, those to come {:.0} kW, one every 40 km, 5 fixed minutes each. Keep 10 % at \
                 every stall and 15 % at the end.",
                figures::distance(units, length),
                here.get(),
                next.get()
            ),
            soc: last.soc.map(figures::percent).unwrap_or_default(),
            kw: last.power.map(|power| format!("{:.0} kW", power.get())).unwrap_or_default(),
            clock: figures::stopwatch(Minutes::new(minutes)),
            plot: plot(&session),
            waits: if minutes < LONGEST { [1, 3, 10].map(wait).to_vec() } else { Vec::new() },
            leave: Ask { left: true, ..ask.clone() }.address(),
            ended: ended.map(|ended| EndView::new(ask, round, (&ended, minutes), &scores, stop)),
            scores: scores.iter().map(|score| format!("{score:.1}")).collect(),
            mean: mean.map(|mean| format!("{mean:.1}")),
        }
    }
}

/// What a round cost against the best; a road whose end is not reached costs half an hour.
fn cost(ended: &Ended) -> Option<f64> {
    const STRANDED: f64 = 30.0;
    let more = ended.total.map(|total| (total - ended.best).get().max(0.0));
    more.or(Some(STRANDED)).map(|more| (10.0 * more).round() / 10.0)
}

impl EndView {
    fn new(ask: &Ask, round: &Round, (ended, minutes): (&Ended, f64), scores: &[f64], stop: &StopSign) -> Self {
        let hidden = match ended.hidden {
            Hidden::Nothing => "Nothing was wrong with it.".to_string(),
            Hidden::Battery(share) => format!("The battery took {:.0} % of the usual: a cold pack.", 100.0 * share),
            Hidden::Stall(kw) => format!("The stall was held at {kw:.0} kW into the battery."),
        };
        let mut told = vec![
            hidden,
            format!(
                "Who knew that left with {}; you with {}.",
                figures::percent(ended.best_leave),
                figures::percent(Soc::percent(round.soc(minutes).get().round()))
            ),
        ];
        if let Some(said) = round.advice(minutes, stop) {
            told.push(format!("The advice then was: {}. {}", advice::headline(&said), advice::why(&said)));
        }
        let texts: Vec<String> = scores.iter().map(|score| format!("{score:.1}")).collect();
        let next = Ask { round: ask.round + 1, minutes: 0, left: false, scores: texts.join("_"), ..ask.clone() };
        Self {
            cost: match ended.total {
                Some(_) => format!("{:.1} min more than the best", cost(ended).unwrap_or_default()),
                None => "Left with too little: no stall is reached with the floor. That counts as 30 min".into(),
            },
            told,
            next: (ask.round + 1 < ROUNDS).then(|| next.address()),
            again: Ask { car: ask.car, game: ask.game.wrapping_add(1), ..Ask::default() }.address(),
        }
    }
}

/// Power over SoC as the display has shown it.
fn plot(session: &spare_hour_core::session::Session) -> Plot {
    let points = || session.readings.iter().filter_map(|one| Some((one.soc?.get(), one.power?.get())));
    let most = 1.2 * points().map(|point| point.1).fold(50.0, f64::max);
    let (x, y) = (x_scale(0.0, 100.0), y_scale(most));
    Plot {
        told: "Power at the plug over SoC, as the display has shown it.".into(),
        lines: vec![Line { class: "series-1", path: path(points(), &x, &y), label: None }],
        points: points().map(|(soc, kw)| (x.at(soc), y.at(kw))).collect(),
        x_ticks: ticks(100.0, 5.0, &x),
        y_ticks: ticks(most, 5.0, &y),
        ..Plot::new("practice", "SoC, %", "kW")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_holds_the_game() {
        let ask = Ask { car: Some(2), game: 7, round: 3, minutes: 12, left: true, scores: "0.4_1.5".into() };
        assert_eq!(ask.address(), "/practice?car=2&game=7&round=3&minutes=12&left=true&scores=0.4_1.5");
        assert_eq!(ask.scores(), [0.4, 1.5]);
        assert!(Ask { scores: "x_NaN_".into(), ..Ask::default() }.scores().is_empty());
        let ended = |total: Option<f64>| Ended {
            total: total.map(Minutes::new),
            best: Minutes::new(100.0),
            best_leave: Soc::percent(50.0),
            hidden: Hidden::Nothing,
        };
        assert_eq!(
            (cost(&ended(Some(101.23))), cost(&ended(None)), cost(&ended(Some(99.99)))),
            (Some(1.2), Some(30.0), Some(0.0))
        );
    }
}
