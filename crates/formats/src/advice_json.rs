//! The answer to "leave now, or wait?" as JSON.

use serde::Serialize;
use spare_hour_core::charging::charge_now::Shape;
use spare_hour_core::quantity::Minutes;
use spare_hour_planner::{Advice, Because};
use spare_hour_wording::advice;

use crate::analysis_json::{FindingFile, finding_file};
use crate::number::plain;
use crate::plan_json::civil;

#[derive(Serialize)]
struct AdviceFile<'a> {
    format: &'static str,
    version: u32,
    action: &'static str,
    site: &'a str,
    soc: f64,
    leave_soc: f64,
    leave_in_min: f64,
    leave_at: Option<String>,
    here_next5_min: Option<f64>,
    there_next5_min: Option<f64>,
    next_site: Option<&'a str>,
    next_arrive_soc: f64,
    total_min_now: Option<f64>,
    total_min_advised: f64,
    total_min_5_later: Option<f64>,
    arrival_soc: f64,
    to_80_min: Option<f64>,
    added_km: f64,
    power_ratio: Option<f64>,
    power_ratio_error: Option<f64>,
    shape: &'static str,
    limited_to_kw: Option<f64>,
    expected_kw: f64,
    other_stall_saves_min: Option<f64>,
    cost_so_far: Option<f64>,
    because: &'static str,
    findings: Vec<FindingFile>,
    why: String,
}

/// An advice as JSON.
pub fn advice_json(told: &Advice) -> String {
    let minutes = |minutes: Option<Minutes>| minutes.map(|minutes| plain(minutes.get()));
    let charge = &told.charge;
    let file = AdviceFile {
        format: "spare-hour/advice",
        version: 1,
        action: if told.stay { "stay" } else { "leave" },
        site: &told.site.0,
        soc: plain(charge.soc.get()),
        leave_soc: plain(told.leave.get()),
        leave_in_min: plain(told.leave_in.get()),
        leave_at: told.leave_at.as_ref().map(civil),
        here_next5_min: minutes(told.here_next),
        there_next5_min: minutes(told.there_next),
        next_site: told.next.as_ref().map(|(id, _)| id.as_str()),
        next_arrive_soc: plain(told.next_arrive.get()),
        total_min_now: minutes(told.total_now),
        total_min_advised: plain(told.total_advised.get()),
        total_min_5_later: minutes(told.total_later),
        arrival_soc: plain(told.arrival.get()),
        to_80_min: told.tens.iter().find(|(soc, _)| soc.get() == 80.0).map(|(_, minutes)| plain(minutes.get())),
        added_km: plain(told.added.get()),
        power_ratio: charge.ratio.map(|ratio| plain(ratio.value)),
        power_ratio_error: charge.ratio.map(|ratio| plain(ratio.error)),
        shape: match charge.shape {
            Shape::AsExpected => "as-expected",
            Shape::Scaled => "scaled",
            Shape::Limited(_) => "limited",
            Shape::Warming => "warming",
            Shape::Unclear => "unclear",
        },
        limited_to_kw: match charge.shape {
            Shape::Limited(power) => Some(plain(power.get())),
            _ => None,
        },
        expected_kw: plain(charge.expected.get()),
        other_stall_saves_min: minutes(told.other_stall),
        cost_so_far: told.cost.map(plain),
        because: match told.because {
            Because::NotEnoughYet => "not-enough-yet",
            Because::Pause(_) => "pause",
            Because::CheaperHere => "cheaper-here",
            Because::CheaperThere => "cheaper-there",
            Because::Enough => "enough",
        },
        findings: told.findings.iter().map(finding_file).collect(),
        why: advice::why(told),
    };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}
