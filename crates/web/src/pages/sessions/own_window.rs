//! The reader's own window of a charge, and what people look up from its start: after so many minutes, and until so many
//! kWh are stored.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Energy, Minutes, Soc, SocSpan};
use spare_hour_core::session::analysis::{Analysis, Window};
use spare_hour_formats::clock;
use spare_hour_wording::figures;

use super::view::{WindowRow, window_row};
use crate::forms::field::Field;

/// Minutes and kWh that people look up.
const LOOKED_UP: ([f64; 4], [f64; 4]) = ([5.0, 15.0, 30.0, 45.0], [10.0, 20.0, 30.0, 40.0]);

/// What an address asks of the window.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Asked<'a> {
    pub(crate) from: Option<&'a str>,
    pub(crate) to: Option<&'a str>,
    pub(crate) minutes: Option<&'a str>,
    pub(crate) kwh: Option<&'a str>,
}

/// The reader's own window.
pub(crate) struct OwnWindow {
    pub(crate) from: Field,
    pub(crate) to: Field,
    /// Minutes to look up beside the usual ones.
    pub(crate) minutes: Field,
    /// kWh to look up beside the usual ones.
    pub(crate) kwh: Field,
    pub(crate) row: Option<WindowRow>,
    /// Points that it spans.
    pub(crate) points: Option<SocSpan>,
    /// What people look up from there.
    pub(crate) look_ups: Vec<LookUp>,
}

/// What is looked up: its name, what is found, and whether it was typed.
pub(crate) struct LookUp {
    pub(crate) name: String,
    pub(crate) found: String,
    pub(crate) own: bool,
}

impl OwnWindow {
    pub(super) fn new(analysis: &Analysis, asked: &Asked, units: Units) -> Self {
        let (start, end) = (analysis.timeline.start_soc().get(), analysis.timeline.end_soc().get());
        let field =
            |typed: Option<&str>, usual: f64| Field::new(typed.map_or_else(|| figures::field(usual), Into::into));
        let (mut from, mut to) = (field(asked.from, start.ceil()), field(asked.to, end.floor()));
        let numbers = from.required(start, end, "%").zip(to.required(start, end, "%"));
        if numbers.is_some_and(|(low, high)| high <= low) {
            to.fault = Some(format!("expected more than {}", from.text));
        }
        let (mut minutes, mut kwh) =
            (Field::new(asked.minutes.unwrap_or_default()), Field::new(asked.kwh.unwrap_or_default()));
        let own = (minutes.number(0.1, 10_000.0, "minutes"), kwh.number(0.1, 2_000.0, "kWh"));
        let window = numbers.and_then(|(from, to)| analysis.window(Soc::percent(from), Soc::percent(to)));
        let look_ups = numbers.map_or(Vec::new(), |(from, _)| look_ups(analysis, Soc::percent(from), own, units));
        let points = window.as_ref().map(|window| window.to - window.from);
        Self {
            points,
            row: window.map(|window| window_row(analysis, &window, units)),
            from,
            to,
            minutes,
            kwh,
            look_ups,
        }
    }

    /// Faults of its fields, with their labels.
    pub(crate) fn faults(&self) -> Vec<(&'static str, &str)> {
        let fields = [("From", &self.from), ("To", &self.to), ("After", &self.minutes), ("To store", &self.kwh)];
        fields.into_iter().filter_map(|(name, field)| Some((name, field.fault.as_deref()?))).collect()
    }
}

/// What some minutes bring, and how long some kWh take, from a SoC on: those typed first.
fn look_ups(analysis: &Analysis, from: Soc, (minutes, kwh): (Option<f64>, Option<f64>), units: Units) -> Vec<LookUp> {
    let found = |window: Option<Window>, told: &dyn Fn(&Window) -> String, own: bool| match window {
        Some(window) => Some(told(&window)),
        None if own => Some("beyond what was measured".into()),
        None => None,
    };
    let added = |window: &Window| {
        window.added.map(|added| format!(", {}", figures::distance(units, added))).unwrap_or_default()
    };
    let after = |minutes: f64, own: bool| {
        let told = |window: &Window| {
            let stored = (window.to - window.from).get() / 100.0 * analysis.basis().usable.get();
            format!("{}, {stored:.1} kWh stored{}", figures::percent(window.to), added(window))
        };
        let found = found(analysis.after(from, Minutes::new(minutes)), &told, own)?;
        Some(LookUp { name: format!("After {} min", figures::field(minutes)), found, own })
    };
    let to_store = |kwh: f64, own: bool| {
        let told = |window: &Window| {
            let error = analysis.window_error(window.from, window.to).unwrap_or_default();
            let seconds = 60.0 * error.get();
            format!(
                "{} min ±{seconds:.0} s, to {}{}",
                clock(window.minutes),
                figures::percent(window.to),
                added(window)
            )
        };
        let found = found(analysis.to_store(from, Energy::kwh(kwh)), &told, own)?;
        Some(LookUp { name: format!("To store {} kWh", figures::field(kwh)), found, own })
    };
    let own = [minutes.and_then(|minutes| after(minutes, true)), kwh.and_then(|kwh| to_store(kwh, true))];
    let usual = LOOKED_UP.0.iter().filter_map(|&minutes| after(minutes, false));
    let usual = usual.chain(LOOKED_UP.1.iter().filter_map(|&kwh| to_store(kwh, false)));
    own.into_iter().flatten().chain(usual).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;

    #[test]
    fn minutes_and_energy_are_looked_up_as_typed() {
        // By hand: 2 points a minute throughout, 60 kWh: 20 min are 40 points, 24 kWh; 12 kWh are 20 points, 10 min.
        let lines: String = (0..=35).map(|minute| format!("{minute}:00 {}\n", 10 + 2 * minute)).collect();
        let session = spare_hour_formats::read_session(&lines).unwrap();
        let basis = Basis { usable: Energy::kwh(60.0), range: None, base: DistanceBase::Rated, loss_percent: None };
        let analysis = Analysis::new(&session, basis).unwrap();
        let asked = |minutes, kwh| Asked { from: Some("10"), to: Some("80"), minutes, kwh };
        let own = OwnWindow::new(&analysis, &asked(Some("20"), Some("12")), Units::default());
        assert!(
            own.look_ups[0].own && own.look_ups[0].found.starts_with("50 %, 24.0 kWh"),
            "{}",
            own.look_ups[0].found
        );
        assert!(own.look_ups[1].found.starts_with("10:00 min"), "{}", own.look_ups[1].found);
        let beyond = OwnWindow::new(&analysis, &asked(Some("90"), Some("x")), Units::default());
        assert_eq!(beyond.look_ups[0].found, "beyond what was measured");
        assert_eq!(beyond.faults()[0].0, "To store");
    }
}
