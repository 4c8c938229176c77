//! The month to come: how it is lived, as filled in, and what it needs and costs, with the post at home and without.

use spare_hour_core::driving::coming_month::{
    DayAhead, Habits, HomeCharging, KwhPrices, coming_month, cost_of, pays_after,
};
use spare_hour_core::quantity::{Energy, Soc};
use spare_hour_planning::month::Day;
use spare_hour_store::Car;
use spare_hour_wording::figures;

use super::Ask;
use crate::forms::field::Field;

/// How the coming month is lived, as filled in.
pub(super) struct AheadForm {
    start: Field,
    floor: Field,
    fast_to: Field,
    every: Field,
    home_price: Field,
    fast_price: Field,
    post_price: Field,
    currency: String,
}

/// What the coming month is lived by.
struct Lived {
    /// Habits without charging at home.
    habits: Habits,
    /// Charging at home, where there is any.
    home: Option<HomeCharging>,
    prices: Option<KwhPrices>,
    post_price: Option<f64>,
}

impl AheadForm {
    pub(super) fn new(ask: &Ask, car: Option<&Car>, currency: String) -> Self {
        let limit = car.and_then(|car| car.about.home).map_or(80.0, |home| home.limit.get());
        let field =
            |typed: &Option<String>, usual: f64| Field::new(typed.clone().unwrap_or_else(|| figures::field(usual)));
        let optional = |typed: &Option<String>| Field::new(typed.clone().unwrap_or_default());
        Self {
            start: field(&ask.start, limit),
            floor: field(&ask.floor, 15.0),
            fast_to: field(&ask.fast_to, 80.0),
            every: field(&ask.every, 1.0),
            home_price: optional(&ask.home_price),
            fast_price: optional(&ask.fast_price),
            post_price: optional(&ask.post_price),
            currency,
        }
    }

    /// The fields: name, label, what stands in it.
    pub(super) fn fields(&self) -> [(&'static str, String, &Field); 7] {
        let money = |what: &str| format!("{what}, {}", self.currency);
        [
            ("start", "Begin with, %".into(), &self.start),
            ("floor", "Never below, %".into(), &self.floor),
            ("fast_to", "Fast charges end at, %".into(), &self.fast_to),
            ("every", "Plugged in at home every … nights".into(), &self.every),
            ("home_price", money("A kWh at home"), &self.home_price),
            ("fast_price", money("A kWh at fast chargers"), &self.fast_price),
            ("post_price", money("A post at home with its fitting"), &self.post_price),
        ]
    }

    fn lived(&mut self, car: &Car) -> Option<Lived> {
        let soc = |field: &mut Field| field.required(0.0, 100.0, "%").map(Soc::percent);
        let (start, floor, fast_to) = (soc(&mut self.start), soc(&mut self.floor), soc(&mut self.fast_to));
        let every = self.every.required(1.0, 31.0, "nights");
        let home_price = self.home_price.number(0.0, 100.0, "a kWh");
        let fast_price = self.fast_price.number(0.0, 100.0, "a kWh");
        let post_price = self.post_price.number(0.0, 1e6, "");
        let (start, floor, fast_to) = (start?, floor?, fast_to?);
        if fast_to.get() < floor.get() + 1.0 {
            self.fast_to.fault = Some(format!("expected more than {}", figures::percent(floor)));
        }
        let every = every?.round() as usize;
        if self.fields().iter().any(|field| field.2.fault.is_some()) {
            return None;
        }
        let about = &car.about;
        let (usable, loss_percent) = (about.usable, about.charge_loss_percent);
        let home = about.home.map(|home| home.charging(about.on_board.as_ref(), loss_percent));
        Some(Lived {
            habits: Habits { usable, loss_percent, start, floor, fast_to, home: None },
            home: home.map(|home| HomeCharging { every, ..home }),
            prices: home_price.zip(fast_price).map(|(home, fast)| KwhPrices { home, fast }),
            post_price,
        })
    }

    /// The coming month, lived like some days, in sentences; nothing where the form has faults.
    pub(super) fn told(&mut self, days: &[&Day], car: &Car) -> Vec<String> {
        let Some(lived) = self.lived(car) else { return Vec::new() };
        let driven: Vec<Energy> = days.iter().map(|day| day.driven).collect();
        if driven.iter().all(|energy| energy.get() <= 0.0) {
            return vec!["No energy of a drive is known in this month, so there is nothing to go by.".into()];
        }
        let count = driven.len();
        let without = coming_month(&driven, &lived.habits);
        let mut said = Vec::new();
        let with = lived.home.map(|home| coming_month(&driven, &Habits { home: Some(home), ..lived.habits }));
        if let Some(with) = &with {
            said.push(format!("With the post at home, {} in {count} such days; {}.", fast(with), at_home(with)));
        }
        said.push(format!("Without charging at home, {} in {count} such days.", fast(&without)));
        if let Some(prices) = lived.prices {
            said.extend(self.money_told(&without, with.as_deref(), prices, &lived));
        }
        said
    }

    /// What the days cost with a post at home and without, and when it pays.
    fn money_told(
        &self,
        without: &[DayAhead],
        with: Option<&[DayAhead]>,
        prices: KwhPrices,
        lived: &Lived,
    ) -> Vec<String> {
        let currency = &self.currency;
        let cost = |days: &[DayAhead]| cost_of(days, prices, lived.habits.loss_percent);
        let Some(with) = with else {
            return vec![format!("That costs {:.2} {currency}.", cost(without))];
        };
        let saved = cost(without) - cost(with);
        let mut said = vec![format!(
            "With the post it costs {:.2} {currency}, without {:.2}: the post saves {saved:.2} in {} such days.",
            cost(with),
            cost(without),
            with.len()
        )];
        if let Some(post) = lived.post_price {
            said.push(match pays_after(post, saved, with.len()) {
                Some(months) => format!("At {post:.0} {currency} it pays after {months:.0} months of this use."),
                None => format!("At {post:.0} {currency} it does not pay at this use."),
            });
        }
        said
    }
}

fn fast(days: &[DayAhead]) -> String {
    let count: usize = days.iter().map(|day| day.fast_charges).sum();
    let stored: f64 = days.iter().map(|day| day.fast_stored.get()).sum();
    match count {
        0 => "no fast charge is needed".into(),
        1 => format!("1 fast charge is needed, of {stored:.0} kWh"),
        _ => format!("{count} fast charges are needed, {stored:.0} kWh in all"),
    }
}

fn at_home(days: &[DayAhead]) -> String {
    let plug: f64 = days.iter().map(|day| day.home_plug.get()).sum();
    let hours: f64 = days.iter().map(|day| day.home_time.get() / 60.0).sum();
    let nights = days.iter().filter(|day| day.home_plug.get() > 0.05).count();
    format!("{plug:.0} kWh leave the plug at home in {hours:.0} hours of {nights} nights")
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::charging::ac_charge::Post;
    use spare_hour_core::charging::known_car::KnownCar;
    use spare_hour_core::driving::coming_month::HomePost;
    use spare_hour_core::quantity::{Current, Distance, Minutes, Voltage};

    fn ahead(fast_charges: usize, stored: f64, plug: f64) -> DayAhead {
        DayAhead {
            driven: Energy::kwh(10.0),
            fast_charges,
            fast_stored: Energy::kwh(stored),
            evening: Soc::percent(50.0),
            home_plug: Energy::kwh(plug),
            home_time: Minutes::new(60.0 * plug / 10.0),
        }
    }

    #[test]
    fn charges_are_counted_in_words() {
        assert_eq!(fast(&[ahead(0, 0.0, 5.0)]), "no fast charge is needed");
        assert_eq!(fast(&[ahead(1, 30.0, 0.0), ahead(0, 0.0, 0.0)]), "1 fast charge is needed, of 30 kWh");
        assert_eq!(fast(&[ahead(2, 60.0, 0.0), ahead(1, 30.0, 0.0)]), "3 fast charges are needed, 90 kWh in all");
        let nights = [ahead(0, 0.0, 20.0), ahead(0, 0.0, 0.0), ahead(0, 0.0, 10.0)];
        assert_eq!(at_home(&nights), "30 kWh leave the plug at home in 3 hours of 2 nights");
    }

    #[test]
    fn what_a_post_saves_and_when_it_pays_by_hand() {
        let post = Post { phases: 1, voltage: Voltage::volts(230.0), current: Current::amps(16.0) };
        let home = HomePost { post, night: Minutes::new(600.0), limit: Soc::percent(80.0) };
        let about = KnownCar { home: Some(home), ..KnownCar::new("Tern", Energy::kwh(60.0), 10.0) };
        let car = Car { id: 1, about, curve: None };
        let day = |day: i8| Day {
            date: jiff::civil::date(2026, 10, day),
            drives: 1,
            distance: Distance::km(60.0),
            driven: Energy::kwh(12.0),
            charges: Vec::new(),
        };
        let days: Vec<Day> = (1..=28).map(day).collect();
        let text = |text: &str| Some(text.to_string());
        let ask = Ask {
            floor: text("10"),
            home_price: text("0.30"),
            fast_price: text("0.60"),
            post_price: text("900"),
            ..Ask::default()
        };
        let mut form = AheadForm::new(&ask, Some(&car), "cr".into());
        let said = form.told(&days.iter().collect::<Vec<_>>(), &car);
        // By hand: each night 12 / 0.9 = 13.33 kWh, 28 of them at 0.30 are 112.00. Without: seven hops of 42 kWh, 196.00.
        assert!(
            said[2].starts_with("With the post it costs 112.00 cr, without 196.00: the post saves 84.00"),
            "{said:?}"
        );
        // 84 in 28 days are 91.31 in a mean month; 900 pay after 9.86.
        assert_eq!(said[3], "At 900 cr it pays after 10 months of this use.");
        let mut wrong = AheadForm::new(&Ask { every: text("0"), ..Ask::default() }, Some(&car), "cr".into());
        assert!(wrong.told(&[], &car).is_empty() && wrong.fields()[3].2.fault.is_some());
    }
}
