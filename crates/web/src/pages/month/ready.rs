//! When a charge at home is ready: plugged in at an hour with some SoC, at the post's amperes or fewer.

use spare_hour_core::charging::ac_charge::{Post, minutes_to};
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::quantity::units::Units;
use spare_hour_core::quantity::{Current, Soc};
use spare_hour_store::Car;
use spare_hour_wording::figures;

use super::Ask;
use crate::forms::field::Field;

/// Minutes of a day.
const DAY: u32 = 1440;

/// What is asked of a night.
pub(super) struct ReadyForm {
    at: Field,
    soc: Field,
    amps: Field,
}

impl ReadyForm {
    pub(super) fn new(ask: &Ask, home: Option<HomePost>, units: Units) -> Self {
        let field = |typed: &Option<String>, usual: String| Field::new(typed.clone().unwrap_or(usual));
        let amps = home.map(|home| figures::field(home.post.current.get())).unwrap_or_default();
        Self {
            at: field(&ask.at, units.clock.time(20 * 60)),
            soc: field(&ask.soc, "20".into()),
            amps: field(&ask.amps, amps),
        }
    }

    /// The fields: name, label, what stands in it.
    pub(super) fn fields(&self) -> [(&'static str, &'static str, &Field); 3] {
        [("at", "Plugged in at", &self.at), ("soc", "with, %", &self.soc), ("amps", "at, A each", &self.amps)]
    }

    /// When it is ready, in a sentence; nothing where a field has a fault.
    pub(super) fn told(&mut self, car: &Car, home: &HomePost, units: Units) -> String {
        let at = self.at.time();
        let soc = self.soc.required(0.0, 100.0, "%").map(Soc::percent);
        let amps = self.amps.required(1.0, home.post.current.get(), "A, no more than the post has");
        let (Some(at), Some(soc), Some(amps)) = (at, soc, amps) else { return String::new() };
        if soc >= home.limit {
            return format!(
                "At {} there is nothing to charge: it stops at {}.",
                figures::percent(soc),
                figures::percent(home.limit)
            );
        }
        let about = &car.about;
        let post = HomePost { post: Post { current: Current::amps(amps), ..home.post }, ..*home };
        let stored = post.charging(about.on_board.as_ref(), about.charge_loss_percent).stored();
        let Some(minutes) = minutes_to(soc, home.limit, stored, about.usable) else { return String::new() };
        let ready = at + minutes.get().ceil() as u32;
        let day = match ready / DAY {
            0 => "",
            1 => " the next morning",
            _ => " days later",
        };
        format!(
            "From {} to {} takes {}, {:.1} kW into the battery: ready at {}{day}.",
            figures::percent(soc),
            figures::percent(home.limit),
            figures::duration(minutes),
            stored.get(),
            units.clock.time(ready % DAY)
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::ac_charge::OnBoardCharger;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::quantity::{Energy, Minutes, Power, Voltage};

    #[test]
    fn the_hour_by_hand() {
        let post = Post { phases: 3, voltage: Voltage::volts(230.0), current: Current::amps(16.0) };
        let home = HomePost { post, night: Minutes::new(540.0), limit: Soc::percent(80.0) };
        let on_board = OnBoardCharger { loss_percent: Some(12.0), ..OnBoardCharger::new(1, Power::kw(7.4)) };
        let about = KnownCar { on_board: Some(on_board), ..KnownCar::new("Tern", Energy::kwh(60.0), 8.0) };
        let car = Car { id: 1, about, curve: None };
        let told = |at: &str, soc: &str, amps: &str| {
            let text = |text: &str| Some(text.to_string());
            let ask = Ask { at: text(at), soc: text(soc), amps: text(amps), ..Ask::default() };
            ReadyForm::new(&ask, Some(home), Units::default()).told(&car, &home, Units::default())
        };
        // One phase at 16 A is 3.68 kW, of which 88 % are 3.238; 60 points of 60 kWh are 36 kWh: 11 h 7 min.
        assert!(
            told("20:00", "20", "16").ends_with("ready at 07:07 the next morning."),
            "{}",
            told("20:00", "20", "16")
        );
        // 70 points at 10 A, 2.024 kW: 20 h 45 min.
        assert!(
            told("12:00", "10", "10").ends_with("ready at 08:46 the next morning."),
            "{}",
            told("12:00", "10", "10")
        );
        assert!(told("20:00", "85", "16").starts_with("At 85 % there is nothing to charge"));
        assert_eq!(told("20:00", "20", "32"), "");
    }
}
