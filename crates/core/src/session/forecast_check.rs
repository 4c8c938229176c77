//! What the car or the station foretold, held against what happened.

use crate::quantity::{Minutes, Soc};
use crate::session::soc_timeline::SocTimeline;
use crate::session::{Forecast, Meter, Session};

/// A forecast and what came of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CheckedForecast {
    /// What was foretold.
    pub forecast: Forecast,
    /// SoC when it was shown.
    pub shown_at: Soc,
    /// Minutes that it took from then on; `None` when the session ended before.
    pub actual: Option<Minutes>,
}

impl CheckedForecast {
    /// How many minutes longer it took than was foretold; negative when it was quicker.
    pub fn longer_by(&self) -> Option<Minutes> {
        self.actual.map(|actual| actual - self.forecast.remaining)
    }
}

/// The forecasts of a session with what came of each, in order of time.
pub fn check_forecasts(session: &Session, timeline: &SocTimeline) -> Vec<CheckedForecast> {
    let check = |&forecast: &Forecast| CheckedForecast {
        forecast,
        shown_at: timeline.soc_at(forecast.at),
        actual: timeline
            .minute_at(forecast.to)
            .map(|minute| minute - forecast.at)
            .filter(|minutes| minutes.get() >= 0.0),
    };
    let mut checked: Vec<CheckedForecast> = session.conditions.forecasts.iter().map(check).collect();
    checked.sort_by(|a, b| a.forecast.at.get().total_cmp(&b.forecast.at.get()));
    checked
}

/// Whose a forecast is, in words.
pub fn whose(meter: Meter) -> &'static str {
    match meter {
        Meter::Station => "station",
        Meter::Car => "car",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{Conditions, Reading};

    #[test]
    fn later_than_foretold() {
        let reading = |minute: f64, soc: f64| Reading {
            elapsed: Minutes::new(minute),
            soc: Some(Soc::percent(soc)),
            ..Reading::default()
        };
        let forecast = |to: f64| Forecast {
            at: Minutes::new(5.0),
            by: Meter::Station,
            remaining: Minutes::new(20.0),
            to: Soc::percent(to),
        };
        let session = Session {
            readings: vec![reading(0.0, 10.0), reading(5.0, 20.0), reading(32.0, 80.0)],
            conditions: Conditions { forecasts: vec![forecast(80.0), forecast(90.0)], ..Conditions::default() },
        };
        let checked = check_forecasts(&session, &SocTimeline::new(&session).unwrap());
        assert_eq!((checked[0].shown_at.get(), checked[0].longer_by().unwrap().get()), (20.0, 7.0));
        assert_eq!(checked[1].actual, None);
    }
}
