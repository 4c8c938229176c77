//! A month ahead if the driving goes on as it did: what home charging fills each night, and how many fast charges are left to do.
//!
//! Day by day: a drive takes its energy; where that would go below the floor, the car is fast-charged from the floor as often as
//! it takes. In the night the home post adds power · (1 − loss) · hours, up to its limit. Plain bookkeeping.

use crate::charging::ac_charge::{OnBoardCharger, Post};
use crate::quantity::{Energy, Minutes, Power, Soc, SocSpan};

/// Most fast charges that are counted for one day.
const MOST_A_DAY: usize = 50;

/// A post or socket at home, and how it is used.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct HomePost {
    /// What it offers.
    pub post: Post,
    /// How long the car is plugged in of a night.
    pub night: Minutes,
    /// Where charging stops.
    pub limit: Soc,
}

impl HomePost {
    /// What a car makes of it, plugged in every night; one whose charger is not known takes all that the post has and loses
    /// as much as at fast chargers, in % of the plug's energy.
    pub fn charging(&self, car: Option<&OnBoardCharger>, usual_loss_percent: f64) -> HomeCharging {
        let power = car.map_or_else(|| self.post.power(), |car| self.post.taken_by(car));
        let stored_share = car.map_or(1.0 - usual_loss_percent / 100.0, |car| car.stored_share(usual_loss_percent));
        HomeCharging { power, stored_share, night: self.night, limit: self.limit, every: 1 }
    }
}

/// Charging at home, a night at a time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct HomeCharging {
    /// What the car takes of the post.
    pub power: Power,
    /// The share of it that is stored.
    pub stored_share: f64,
    /// How long it is plugged in.
    pub night: Minutes,
    /// Where it stops.
    pub limit: Soc,
    /// It is plugged in every so many nights, the first among them.
    pub every: usize,
}

impl HomeCharging {
    /// What goes into the battery.
    pub fn stored(&self) -> Power {
        Power::kw(self.power.get() * self.stored_share)
    }

    /// What a whole night stores.
    pub fn stored_a_night(&self) -> Energy {
        self.stored() * self.night
    }
}

/// What a kWh out of the plug costs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct KwhPrices {
    /// At home.
    pub home: f64,
    /// At fast chargers.
    pub fast: f64,
}

/// What days ahead cost: what leaves the plugs, at its price. Fast chargers lose a share in %.
pub fn cost_of(days: &[DayAhead], prices: KwhPrices, loss_percent: f64) -> f64 {
    let home: f64 = days.iter().map(|day| day.home_plug.get()).sum();
    let fast: f64 = days.iter().map(|day| day.fast_stored.get()).sum();
    home * prices.home + fast / (1.0 - loss_percent / 100.0) * prices.fast
}

/// After how many months a post pays that saves so much in so many days; `None` where it saves nothing.
pub fn pays_after(post: f64, saved: f64, days: usize) -> Option<f64> {
    /// Days of a mean month of the Gregorian calendar.
    const MONTH: f64 = 30.436_875;
    (saved > 0.0 && days > 0).then(|| post / (saved / days as f64 * MONTH))
}

/// How the car is used.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Habits {
    /// Energy between shown 0 and 100 %.
    pub usable: Energy,
    /// Share of the plug's energy that is not stored, %.
    pub loss_percent: f64,
    /// SoC on the first morning.
    pub start: Soc,
    /// Below this nobody drives.
    pub floor: Soc,
    /// Fast charges end here, above the floor.
    pub fast_to: Soc,
    /// Charging at home, if there is any.
    pub home: Option<HomeCharging>,
}

/// A day of the month ahead.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DayAhead {
    /// What the day's drives take from the battery.
    pub driven: Energy,
    /// Fast charges on the way.
    pub fast_charges: usize,
    /// What they store.
    pub fast_stored: Energy,
    /// SoC in the evening.
    pub evening: Soc,
    /// What leaves the plug at home in the night after.
    pub home_plug: Energy,
    /// How long current flows.
    pub home_time: Minutes,
}

/// The days ahead, for the energy that each day's drives take.
pub fn coming_month(days: &[Energy], habits: &Habits) -> Vec<DayAhead> {
    let mut soc = habits.start;
    days.iter()
        .enumerate()
        .map(|(index, &driven)| {
            let home = habits.home.filter(|home| index.is_multiple_of(home.every.max(1)));
            let day = day(driven, soc, &Habits { home, ..*habits });
            let stored = day.home_plug * home.map_or(0.0, |home| home.stored_share);
            soc = day.evening + SocSpan::points(100.0 * (stored / habits.usable));
            day
        })
        .collect()
}

fn day(driven: Energy, morning: Soc, habits: &Habits) -> DayAhead {
    let points = 100.0 * (driven / habits.usable);
    let hop = (habits.fast_to - habits.floor).get().max(1.0);
    let short = habits.floor.get() - (morning.get() - points);
    let fast_charges = if short > 1e-9 { ((short / hop).ceil() as usize).min(MOST_A_DAY) } else { 0 };
    let fast_points = hop * fast_charges as f64;
    let evening = Soc::percent((morning.get() - points + fast_points).max(0.0));
    let (home_plug, home_time) = habits.home.map_or_else(Default::default, |home| night(&home, evening, habits));
    let fast_stored = habits.usable * (fast_points / 100.0);
    DayAhead { driven, fast_charges, fast_stored, evening, home_plug, home_time }
}

/// What leaves the plug in a night, and for how long.
fn night(home: &HomeCharging, evening: Soc, habits: &Habits) -> (Energy, Minutes) {
    if home.power.get() <= 0.0 {
        return Default::default();
    }
    let room = habits.usable * ((home.limit - evening).get().max(0.0) / 100.0);
    let wanted = room * (1.0 / home.stored_share);
    let time = (wanted / home.power).get().min(home.night.get());
    (home.power * Minutes::new(time), Minutes::new(time))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_night_stores_by_hand() {
        // By hand: 3.68 kW at 91 % are 3.349 kW; nine hours of them are 30.14 kWh.
        let home = HomeCharging { power: Power::kw(3.68), stored_share: 0.91, night: Minutes::new(540.0), ..HOME };
        assert!((home.stored().get() - 3.349).abs() < 0.001);
        assert!((home.stored_a_night().get() - 30.139).abs() < 0.001);
    }

    const HOME: HomeCharging = HomeCharging {
        power: Power::kw(2.3),
        stored_share: 0.9,
        night: Minutes::new(600.0),
        limit: Soc::percent(80.0),
        every: 1,
    };

    fn habits(home: Option<HomeCharging>) -> Habits {
        Habits {
            usable: Energy::kwh(60.0),
            loss_percent: 10.0,
            start: Soc::percent(80.0),
            floor: Soc::percent(10.0),
            fast_to: Soc::percent(80.0),
            home,
        }
    }

    fn month(days: &[f64], home: Option<HomeCharging>) -> Vec<DayAhead> {
        coming_month(&days.iter().map(|&kwh| Energy::kwh(kwh)).collect::<Vec<_>>(), &habits(home))
    }

    #[test]
    fn a_socket_at_home_by_hand() {
        // 2.3 kW for 10 h are 23 kWh at the plug and 20.7 stored, 34.5 %. A day of 12 kWh, 20 %, is back by morning:
        // 12 / 0.9 = 13.33 kWh at the plug, 5 h 48 min. A day of 30 kWh, 50 %, is not.
        let days = month(&[12.0, 30.0, 0.0], Some(HOME));
        assert!((days[0].home_plug.get() - 40.0 / 3.0).abs() < 1e-9 && days[0].evening == Soc::percent(60.0));
        assert!((days[0].home_time.get() - 347.826).abs() < 0.001);
        assert_eq!((days[1].home_plug, days[1].home_time), (Energy::kwh(23.0), Minutes::new(600.0)));
        assert!((days[2].evening.get() - 64.5).abs() < 1e-9);
        assert!(days.iter().all(|day| day.fast_charges == 0));
    }

    #[test]
    fn a_post_gives_what_the_car_takes() {
        use crate::quantity::{Current, Voltage};
        let post = Post { phases: 3, voltage: Voltage::volts(230.0), current: Current::amps(16.0) };
        let home = HomePost { post, night: Minutes::new(480.0), limit: Soc::percent(80.0) };
        // Arithmetic: 3 × 16 A × 230 V = 11.04 kW; a car of one phase takes a third, 3.68 kW.
        let one_phase = OnBoardCharger { loss_percent: Some(12.0), ..OnBoardCharger::new(1, Power::kw(7.4)) };
        assert!((home.charging(None, 8.0).power.get() - 11.04).abs() < 1e-9);
        let charging = home.charging(Some(&one_phase), 8.0);
        assert!((charging.power.get() - 3.68).abs() < 1e-9 && (charging.stored_share - 0.88).abs() < 1e-12);
        assert!((home.charging(None, 8.0).stored_share - 0.92).abs() < 1e-12);
    }

    #[test]
    fn a_long_day_and_a_month_without_a_post() {
        // 100 kWh of 60 are 167 %: from 80 to the floor are 70 points, the other 97 take two hops of 70.
        let long = month(&[100.0], None);
        assert_eq!((long[0].fast_charges, long[0].fast_stored), (2, Energy::kwh(84.0)));
        assert!((long[0].evening.get() - (80.0 - 1000.0 / 6.0 + 140.0)).abs() < 1e-9);
        // 28 days of 12 kWh are 560 %: 70 are there, the other 490 are seven hops of 70.
        let steady: usize = month(&[12.0; 28], None).iter().map(|day| day.fast_charges).sum();
        assert_eq!(steady, 7);
        assert!(month(&[12.0; 28], Some(HOME)).iter().all(|day| day.fast_charges == 0));
    }

    #[test]
    fn every_few_nights_and_what_it_costs_by_hand() {
        // Days of 6 kWh, 10 %: plugged in every third night, the first night gives 6 / 0.9, the fourth 18 / 0.9 kWh.
        let days = month(&[6.0; 6], Some(HomeCharging { every: 3, ..HOME }));
        let plug: Vec<f64> = days.iter().map(|day| day.home_plug.get()).collect();
        assert!((plug[0] - 20.0 / 3.0).abs() < 1e-9 && plug[1] == 0.0 && plug[2] == 0.0, "{plug:?}");
        assert!((plug[3] - 20.0).abs() < 1e-9, "{plug:?}");
        // 26.67 kWh at home at 0.30 are 8.00. Without a post 28 days of 12 kWh are seven hops of 42 kWh, 326.67 from the
        // plug with 10 % lost, at 0.60 196.00. A post of 1,200 that saves 100 in 30.44 days pays after twelve months.
        let prices = KwhPrices { home: 0.3, fast: 0.6 };
        assert!((cost_of(&days, prices, 10.0) - 8.0).abs() < 1e-9);
        assert!((cost_of(&month(&[12.0; 28], None), prices, 10.0) - 196.0).abs() < 1e-6);
        assert!((pays_after(1_200.0, 100.0 * 60.0 / 30.436_875, 60).unwrap() - 12.0).abs() < 1e-9);
        assert_eq!(pays_after(1_200.0, 0.0, 30), None);
    }

    #[test]
    fn what_goes_in_is_what_goes_out() {
        let days = month(&[5.0, 44.0, 70.0, 0.0, 3.0], Some(HOME));
        let stored: f64 = days.iter().map(|day| day.fast_stored.get() + 0.9 * day.home_plug.get()).sum();
        let driven: f64 = days.iter().map(|day| day.driven.get()).sum();
        let last = days[4].evening.get() + 100.0 * 0.9 * days[4].home_plug.get() / 60.0;
        assert!((stored - driven - 60.0 * (last - 80.0) / 100.0).abs() < 1e-9);
    }
}
