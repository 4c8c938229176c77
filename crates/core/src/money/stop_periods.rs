//! A charge at a stall cut into short periods, each with its energy, as a receipt wants them.

use crate::charging::stall::Stall;
use crate::money::receipt::Period;
use crate::quantity::{Current, Energy, Minutes, Soc, SocSpan};
use crate::trip::{Site, Vehicle};

/// Length of a period, minutes. Power changes little within.
const EACH: f64 = 0.5;

/// The periods of a charge from one SoC to another, out of the plug.
pub fn stop_periods(vehicle: &Vehicle, site: &Site, arrive: Soc, depart: Soc) -> Vec<Period> {
    periods_at(vehicle, &Stall::new(vehicle, site), vehicle.stored_share(), arrive, depart)
}

/// The periods of a charge at a stall that stores a share of what leaves the plug.
pub fn periods_at(vehicle: &Vehicle, stall: &Stall, stored_share: f64, arrive: Soc, depart: Soc) -> Vec<Period> {
    let whole = stall.minutes(arrive, depart).get();
    if !(whole.is_finite() && whole > 0.0) {
        return Vec::new();
    }
    let plug = |points: SocSpan| Energy::kwh(vehicle.usable.get() * points.get() / 100.0 / stored_share);
    let count = (whole / EACH).ceil() as usize;
    let edges: Vec<f64> = (0..=count).map(|index| whole * index as f64 / count as f64).collect();
    let soc = |minute: f64| {
        if minute >= whole { depart } else { stall.soc_after(arrive, Minutes::new(minute)) }
    };
    let period = |edge: &[f64]| {
        let (from, to) = (soc(edge[0]), soc(edge[1]));
        let time = Minutes::new(edge[1] - edge[0]);
        let energy = plug(to - from);
        let volts = vehicle.pack_voltage.as_ref().map(|voltage| voltage.at(from.get()));
        let current = volts.map(|volts| Current::amps(1000.0 * (energy / time).get() / volts));
        Period { time, energy, current, parking: false }
    };
    edges.windows(2).map(period).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::charging::profile::Profile;
    use crate::quantity::{Distance, Power, Speed};
    use crate::trip::Price;
    use crate::trip::site_details::SiteDetails;

    #[test]
    fn periods_add_up_to_the_stop() {
        let vehicle = Vehicle {
            usable: Energy::kwh(60.0),
            charge_curve: Profile::new(vec![(0.0, 150.0), (100.0, 30.0)]).unwrap(),
            charge_loss_percent: 10.0,
            pack_voltage: Some(Profile::constant(400.0)),
            boost: None,
        };
        let site = Site {
            id: "s".into(),
            name: "S".into(),
            at: Distance::km(0.0),
            off_route: Distance::km(0.0),
            off_route_speed: Speed::kmh(50.0),
            max_power: Power::kw(120.0),
            max_current: None,
            overhead: Minutes::new(4.0),
            price: Price::default(),
            details: SiteDetails::default(),
        };
        let periods = stop_periods(&vehicle, &site, Soc::percent(10.0), Soc::percent(70.0));
        let energy: f64 = periods.iter().map(|period| period.energy.get()).sum();
        // By hand: 60 points of 60 kWh are 36 kWh, over 0.9 from the plug.
        assert!((energy - 40.0).abs() < 1e-9, "{energy}");
        let minutes: f64 = periods.iter().map(|period| period.time.get()).sum();
        let stall = Stall::new(&vehicle, &site).minutes(Soc::percent(10.0), Soc::percent(70.0));
        assert!((minutes - stall.get()).abs() < 1e-9);
        let first = &periods[0];
        assert!(
            ((first.energy / first.time).get() - 120.0).abs() < 1e-6
                && (first.current.unwrap().get() - 300.0).abs() < 1e-6
        );
        assert!(stop_periods(&vehicle, &site, Soc::percent(70.0), Soc::percent(70.0)).is_empty());
    }
}
