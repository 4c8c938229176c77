//! The pictures of a session: power over SoC with its band and findings, SoC over minutes.

use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::analysis::Analysis;
use spare_hour_core::session::findings::{Finding, Severity};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::Moment;

use super::shown_findings::shown;
use crate::charts::{Line, Mark, Part, Plot, Scale, TOP, c_rate_ticks, path, ticks, x_scale, y_scale};
use spare_hour_wording::{figures, findings};

/// Points of readings drawn at most; of more, every so many-th.
const MOST_POINTS: usize = 400;

/// Every so many-th, so that at most [`MOST_POINTS`] are left.
fn thinned<T>(items: impl ExactSizeIterator<Item = T>) -> impl Iterator<Item = T> {
    let every = items.len().div_ceil(MOST_POINTS).max(1);
    items.step_by(every)
}

/// The letter of a finding in lists and on charts.
pub(crate) fn letter(index: usize) -> String {
    let letter = char::from(b'a' + (index % 26) as u8);
    if index < 26 { letter.to_string() } else { format!("{letter}{}", index / 26) }
}

/// Power over SoC: the readings as shown, the curve into the battery with its band, and where findings are.
pub(crate) fn power_over_soc(report: &Report, units: Units) -> Plot {
    let sentence = |finding: &Finding| findings::sentence(&finding.fact, units);
    let (analysis, curve) = (&report.analysis, &report.curve);
    let moments = analysis.timeline.moments();
    let shown = moments.iter().filter_map(|moment| moment.kw).fold(0.0, f64::max);
    let most = 1.06 * shown.max(curve.peak().get());
    let (x, y) = (x_scale(0.0, 100.0), y_scale(most));
    let told = format!(
        "Power over state of charge, from {} to {}, at most {shown:.0} kW.",
        figures::percent(curve.measured.0),
        figures::percent(curve.measured.1),
    );
    Plot {
        told,
        points: thinned(moments.iter()).filter_map(|moment| Some((x.at(moment.soc), y.at(moment.kw?)))).collect(),
        lines: curve_lines(report, &x, &y),
        band: band(report, &x, &y),
        parts: parts(report, &x, &sentence),
        marks: marks(report, &x, &y, &sentence),
        x_ticks: ticks(100.0, 5.0, &x),
        y_ticks: ticks(most, 5.0, &y),
        right_ticks: c_rate_ticks(most, analysis.basis().usable.get(), &y),
        right_name: "C-rate, 1/h",
        draggable: true,
        ..Plot::new("power", "SoC, %", "kW")
    }
}

/// The curve where it was measured, and dashed where it is assumed.
fn curve_lines(report: &Report, x: &Scale, y: &Scale) -> Vec<Line> {
    let curve = &report.curve;
    let (from, to) = (curve.measured.0.get(), curve.measured.1.get());
    let points = curve.power.points();
    let measured = points.iter().copied().filter(|point| point.0 >= from && point.0 <= to);
    let assumed = |path| Line { class: "assumed", path, label: None };
    let below = path([(0.0, curve.power.at(0.0)), (from, curve.power.at(0.0))], x, y);
    let mut lines = vec![Line { class: "curve", path: path(measured, x, y), label: None }, assumed(below)];
    if let (Some(&last), Some(&before)) = (points.last(), points.iter().rev().nth(1))
        && to < 100.0
    {
        lines.push(assumed(path([before, last], x, y)));
    }
    lines
}

fn band(report: &Report, x: &Scale, y: &Scale) -> String {
    let high = report.band.iter().map(|point| (point.soc.get(), point.high.get()));
    let low = report.band.iter().rev().map(|point| (point.soc.get(), point.low.get()));
    path(high.chain(low), x, y)
}

/// The parts of the curve that warnings are about.
fn parts(report: &Report, x: &Scale, sentence: &impl Fn(&Finding) -> String) -> Vec<Part> {
    let part = |finding: &Finding| {
        let span = finding.span.filter(|_| finding.severity() >= Severity::Warning)?;
        let (from, to) = (x.at(span.0.get()), x.at(span.1.get()));
        Some(Part { x: from, width: (to - from).max(2.0), told: sentence(finding) })
    };
    shown(report).into_iter().filter_map(|(_, finding)| part(finding)).collect()
}

/// The findings that have a place, each with its letter, above the curve; those that would lie on each other above, else
/// below one another.
fn marks(report: &Report, x: &Scale, y: &Scale, sentence: &impl Fn(&Finding) -> String) -> Vec<Mark> {
    let mut marks: Vec<Mark> = Vec::new();
    for (index, finding) in shown(report) {
        let Some(at) = finding.at else { continue };
        let soc = report.analysis.timeline.soc_at(at).get();
        let (place, curve) = (x.at(soc), y.at(report.curve.power.at(soc)));
        let free =
            |height: &f64| !marks.iter().any(|mark| (mark.x - place).abs() < 18.0 && (mark.y - height).abs() < 18.0);
        let above = (0..12).map(|step| curve - 16.0 - 19.0 * f64::from(step)).filter(|&height| height >= TOP);
        let below = (0..12).map(|step| curve + 16.0 + 19.0 * f64::from(step));
        let height = above.chain(below).find(free).unwrap_or(curve);
        marks.push(Mark { x: place, y: height, letter: letter(index), told: sentence(finding) });
    }
    marks
}

/// SoC over minutes, the curve travellers understand, with power and energy beside it and what was foretold.
pub(crate) fn soc_over_minutes(report: &Report) -> Plot {
    let analysis = &report.analysis;
    let start = analysis.timeline.start().get();
    let length = analysis.minutes.get();
    let foretold = |check: &spare_hour_core::session::forecast_check::CheckedForecast| {
        let at = check.forecast.at.get() - start;
        [(at, check.shown_at.get()), (at + check.forecast.remaining.get(), check.forecast.to.get())]
    };
    let foretold: Vec<[(f64, f64); 2]> = report.forecasts.iter().map(foretold).collect();
    let longest = foretold.iter().map(|line| line[1].0).fold(length, f64::max);
    let (x, y) = (x_scale(0.0, longest), y_scale(100.0));
    let moments = thinned(analysis.timeline.moments().iter()).map(|moment| (moment.minute - start, moment.soc));
    let end = (length, analysis.timeline.end_soc().get());
    let mut lines = vec![Line { class: "curve", path: path(moments.chain([end]), &x, &y), label: None }];
    let (right, most) = power_and_energy(analysis, &x);
    lines.extend(right);
    lines.extend(foretold.iter().map(|line| Line { class: "assumed", path: path(*line, &x, &y), label: None }));
    Plot {
        told: format!(
            "State of charge over minutes: from {} to {} in {length:.0} minutes.",
            figures::percent(analysis.timeline.start_soc()),
            figures::percent(analysis.timeline.end_soc()),
        ),
        lines,
        x_ticks: ticks(longest, 6.0, &x),
        y_ticks: ticks(100.0, 4.0, &y),
        right_ticks: if most > 0.0 { ticks(most, 4.0, &y_scale(most)) } else { Vec::new() },
        right_name: "kW and kWh",
        on_the_right: "kW,kWh",
        ..Plot::new("soc", "minutes", "SoC, %")
    }
}

/// Power and energy as the meter showed them, on the axis at the right, and the most that it shows.
fn power_and_energy(analysis: &Analysis, x: &Scale) -> (Vec<Line>, f64) {
    let start = analysis.timeline.start();
    let moments: Vec<&Moment> = thinned(analysis.timeline.moments().iter()).collect();
    let minute = |moment: &Moment| moment.minute - start.get();
    let power: Vec<(f64, f64)> = moments.iter().filter_map(|moment| Some((minute(moment), moment.kw?))).collect();
    let energy: Vec<(f64, f64)> = moments
        .iter()
        .filter_map(|moment| Some((minute(moment), analysis.metered_by(Minutes::new(moment.minute))?.get())))
        .collect();
    let most = 1.1 * power.iter().chain(&energy).map(|point| point.1).fold(0.0, f64::max);
    let y = y_scale(most);
    let line = |class, points: &[(f64, f64)], name: &str| {
        let &(last, value) = points.last().filter(|_| points.len() > 1)?;
        let label = Some((x.at(last) - 30.0, (y.at(value) - 6.0).max(TOP + 8.0), name.to_string()));
        Some(Line { class, path: path(points.iter().copied(), x, &y), label })
    };
    let lines = [line("series-2", &power, "kW"), line("series-3", &energy, "kWh")];
    (lines.into_iter().flatten().collect(), most)
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::{Distance, Energy};
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;

    fn report(text: &str, range: Option<f64>) -> Report {
        let session = spare_hour_formats::read_session(text).unwrap();
        let basis = Basis {
            usable: Energy::kwh(70.0),
            range: range.map(Distance::km),
            base: DistanceBase::Rated,
            loss_percent: None,
        };
        Report::new(&session, basis, None).unwrap()
    }

    const LINES: &str = "0:00 12 150\n4:00 30 160\n10:00 50 110\n30:00 81 40\n";

    #[test]
    fn what_was_not_measured_is_dashed() {
        let plot = power_over_soc(&report(LINES, None), Units::default());
        assert_eq!(plot.lines.iter().filter(|line| line.class == "assumed").count(), 2);
        assert_eq!(plot.points.len(), 4);
        assert!(plot.told.contains("from 12 % to 81 %, at most 160 kW"), "{}", plot.told);
        assert!(!plot.band.is_empty() && !plot.right_ticks.is_empty());
    }

    #[test]
    fn findings_stand_where_they_are() {
        let text = "# site_kw: 100\nelapsed,soc,power_kw\n0:00,0,100\n2:00,8,100\n4:00,16,100\n6:00,24,100\n3:00,28,100\n9:00,35,90\n12:00,45,80\n";
        let report = report(text, None);
        let plot = power_over_soc(&report, Units::default());
        let placed = report.findings.iter().filter(|finding| finding.at.is_some()).count();
        assert_eq!(plot.marks.len(), placed);
        assert!(plot.marks.windows(2).all(|pair| (pair[0].x, pair[0].y) != (pair[1].x, pair[1].y)));
        let limited = plot.parts.iter().find(|part| part.told.contains("site's 100 kW")).unwrap();
        assert!(limited.width > 100.0);
        assert_eq!([0, 25, 26].map(letter), ["a", "z", "a1"]);
    }
}
