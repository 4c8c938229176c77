//! What holds of any charge measured live, in whatever order its events come, and of any logger's whole percents.

#![allow(missing_docs, clippy::unwrap_used)]

use proptest::prelude::*;
use spare_hour_core::quantity::{Minutes, Power, Soc};
use spare_hour_core::session::live::{Event, LiveCharge, Readout, What};
use spare_hour_core::session::soc_timeline::SocTimeline;
use spare_hour_core::session::{Conditions, Reading, Session};

prop_compose! {
    fn any_event(index: usize)(kind in 0u8..8, wait in 1i64..90, soc in 0u8..=100, of in 0usize..40) -> (What, i64) {
        let readout = || Readout { soc: Some(Soc::percent(f64::from(soc))), rest: Reading::default() };
        let what = match kind {
            0 => What::CurrentOn,
            1 => What::Pause,
            2 => What::Resume,
            3 => What::Undo { of: format!("e{}", of % (index + 1)) },
            4 => What::Change { of: format!("e{}", of % (index + 1)), to: readout() },
            _ => What::Reading(readout()),
        };
        (what, wait)
    }
}

fn any_events() -> impl Strategy<Value = Vec<Event>> {
    let events: Vec<_> = (0..40).map(any_event).collect();
    events.prop_map(|drawn| {
        let mut at_ms = 1_790_000_000_000;
        let event = |(index, (what, wait)): (usize, (What, i64))| {
            at_ms += 1000 * wait;
            Event { id: format!("e{index}"), at_ms, what }
        };
        drawn.into_iter().enumerate().map(event).collect()
    })
}

proptest! {
    #[test]
    fn the_order_of_arrival_never_matters(events in any_events(), shuffle in prop::collection::vec(any::<u32>(), 40)) {
        let in_order = LiveCharge::replay(&events);
        let mut arrived: Vec<(u32, Event)> = shuffle.into_iter().zip(events).collect();
        arrived.sort_by_key(|event| event.0);
        let late: Vec<Event> = arrived.into_iter().map(|event| event.1).collect();
        prop_assert_eq!(LiveCharge::replay(&late), in_order);
    }

    #[test]
    fn the_clock_never_runs_back_and_pauses_do_not_count(events in any_events()) {
        let charge = LiveCharge::replay(&events);
        let session = charge.session(&Conditions::default());
        let clocks: Vec<f64> = session.readings.iter().map(|reading| reading.elapsed.get()).collect();
        prop_assert!(clocks.windows(2).all(|pair| pair[0] <= pair[1]), "{:?}", clocks);
        let whole = (events[events.len() - 1].at_ms - events[0].at_ms) as f64 / 60_000.0;
        prop_assert!(clocks.iter().all(|&minute| (0.0..=whole).contains(&minute)));
        let undone = |id: &str| events.iter().any(|event| matches!(&event.what, What::Undo { of } if of == id));
        let readings = events.iter().filter(|event| matches!(event.what, What::Reading(_)) && !undone(&event.id));
        prop_assert_eq!(charge.readings.len(), readings.count());
    }

    #[test]
    fn a_loggers_percents_are_refined_within_what_was_shown(
        kw in prop::collection::vec(60u32..150, 60..160),
        start in 0u8..40,
        every in 3u32..9,
    ) {
        // A 60 kWh battery that takes the drawn powers in turn; whole percents and kW every few seconds.
        let (mut soc, mut readings) = (f64::from(start) + 0.4, Vec::new());
        for (index, &kw) in kw.iter().enumerate() {
            readings.push(Reading {
                elapsed: Minutes::seconds(f64::from(every) * index as f64),
                soc: Some(Soc::percent(soc.floor())),
                power: Some(Power::kw(f64::from(kw))),
                ..Reading::default()
            });
            soc = (soc + f64::from(kw * every) / 3600.0 / 0.6).min(100.0);
        }
        let shown: Vec<f64> = readings.iter().map(|reading| reading.soc.unwrap_or_default().get()).collect();
        let session = Session { readings, ..Session::default() };
        let Ok(timeline) = SocTimeline::new(&session) else { return Ok(()) };
        prop_assert_eq!(timeline.start_soc().get(), shown[0]);
        prop_assert_eq!(timeline.end_soc().get(), shown[shown.len() - 1]);
        for moment in timeline.moments() {
            let was = shown[moment.reading];
            prop_assert!(moment.soc >= was - 1e-9 && moment.soc <= was + 1.0 + 1e-9, "{} for {}", moment.soc, was);
        }
        prop_assert!(timeline.moments().windows(2).all(|pair| pair[0].soc <= pair[1].soc + 1e-9));
    }
}
