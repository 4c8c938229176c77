//! What a trip comes to as a page shows it: its plan by the clock where it goes by it, else by the road, or why there is none.

use std::sync::Arc;

use spare_hour_planner::trade::NoTrade;
use spare_hour_planning::drive_trip::SolvedTrip;
use spare_hour_planning::plan_trip::Outcome;
use spare_hour_planning::shown_plan::{Held, ShownPlan};
use spare_hour_planning::trade_trip::TradedTrip;

use crate::app::{App, off_thread};
use crate::http::error::WebError;

/// A trip as it was asked, and how that is told from other questions.
#[derive(Clone)]
pub(crate) struct Question {
    pub(crate) solved: Arc<SolvedTrip>,
    pub(crate) key: String,
}

/// What it comes to.
pub(crate) enum Answer {
    /// A plan, and the trade that it is of where it goes by the clock.
    Plan(Box<ShownPlan>, Option<Arc<TradedTrip>>),
    /// The road itself cannot be driven.
    Stranded,
    /// It can, but not with all that is wished, by the clock.
    NoneKeeps,
    /// The car has no curve.
    NoCurve,
}

impl Question {
    /// The trip by its clock: its whole trade, or what lies around its best plan; what was weighed a while ago is not weighed
    /// again. `None` while its car has no curve.
    pub(crate) async fn weigh(
        &self,
        app: &App,
        whole: bool,
    ) -> Result<Option<Result<Arc<TradedTrip>, NoTrade>>, WebError> {
        let key = format!("{whole} {}", self.key);
        if let Some(known) = app.traded.get(&key) {
            return Ok(Some(Ok(known)));
        }
        let solved = Arc::clone(&self.solved);
        let weigh = move |_: &_, stop: &_| {
            let weigh = |to_plan| TradedTrip::of_plan(to_plan, whole, stop).map(Arc::new);
            Ok(solved.kept.to_plan.as_ref().map(weigh))
        };
        let weighed = app.run_while_waiting(weigh).await?;
        if let Some(Ok(traded)) = &weighed {
            app.traded.put(key, Arc::clone(traded));
        }
        Ok(weighed)
    }

    /// The plan with the departures that a person holds, or one of the trade by its place.
    pub(crate) async fn answer(&self, app: &App, leave: Held, pick: Option<usize>) -> Result<Answer, WebError> {
        if !self.solved.needs_clock && pick.is_none() {
            let Some(planned) = self.solved.planned().cloned() else { return Ok(self.nothing()) };
            let shown = off_thread(move || ShownPlan::by_road(&planned, &leave)).await?;
            return Ok(Answer::Plan(Box::new(shown), None));
        }
        let Some(Ok(traded)) = self.weigh(app, pick.is_some()).await? else { return Ok(self.nothing()) };
        let of = Arc::clone(&traded);
        let shown = app.run_while_waiting(move |_, stop| Ok(ShownPlan::by_clock(&of, &leave, pick, stop))).await?;
        Ok(shown.map_or(Answer::NoneKeeps, |shown| Answer::Plan(Box::new(shown), Some(traded))))
    }

    /// Why there is no plan.
    fn nothing(&self) -> Answer {
        match &self.solved.outcome {
            Some(Outcome::Infeasible(_)) => Answer::Stranded,
            Some(_) => Answer::NoneKeeps,
            None => Answer::NoCurve,
        }
    }
}
