//! The form of a post or socket at home.

use serde::Deserialize;
use spare_hour_core::charging::ac_charge::Post;
use spare_hour_core::driving::coming_month::HomePost;
use spare_hour_core::quantity::{Current, Minutes, Soc, Voltage};

use crate::forms::field::Field;
use spare_hour_wording::figures;

/// The form as it comes.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub(crate) struct HomeFields {
    phases: String,
    volts: String,
    amps: String,
    hours: String,
    limit: String,
    pub(super) month: String,
}

/// The form as it was filled in; all empty for no charging at home.
pub(super) struct HomeForm {
    phases: Field,
    volts: Field,
    amps: Field,
    hours: Field,
    limit: Field,
}

impl HomeForm {
    pub(super) fn new(fields: HomeFields) -> Self {
        Self {
            phases: Field::new(fields.phases),
            volts: Field::new(fields.volts),
            amps: Field::new(fields.amps),
            hours: Field::new(fields.hours),
            limit: Field::new(fields.limit),
        }
    }

    pub(super) fn of(home: Option<HomePost>) -> Self {
        let text =
            |number: fn(&HomePost) -> f64| home.as_ref().map(|home| figures::field(number(home))).unwrap_or_default();
        Self::new(HomeFields {
            phases: text(|home| f64::from(home.post.phases)),
            volts: text(|home| home.post.voltage.get()),
            amps: text(|home| home.post.current.get()),
            hours: text(|home| home.night.get() / 60.0),
            limit: text(|home| home.limit.get()),
            month: String::new(),
        })
    }

    /// The fields: name, label, what stands in it.
    pub(super) fn fields(&self) -> [(&'static str, &'static str, &Field); 5] {
        [
            ("phases", "Phases", &self.phases),
            ("volts", "Volts each", &self.volts),
            ("amps", "Amps each", &self.amps),
            ("hours", "Hours of a night", &self.hours),
            ("limit", "Up to, %", &self.limit),
        ]
    }

    pub(super) fn is_wrong(&self) -> bool {
        self.fields().iter().any(|field| field.2.fault.is_some())
    }

    /// The post, if one was filled in; what is wrong stays in the fields.
    pub(super) fn home(&mut self) -> Option<HomePost> {
        if self.fields().iter().all(|field| field.2.text.trim().is_empty()) {
            return None;
        }
        let phases = self.phases.required(1.0, 3.0, "phases");
        let volts = self.volts.required(90.0, 500.0, "V");
        let amps = self.amps.required(1.0, 100.0, "A");
        let hours = self.hours.required(0.1, 24.0, "hours");
        let limit = self.limit.required(1.0, 100.0, "%");
        let post =
            Post { phases: phases?.round() as u32, voltage: Voltage::volts(volts?), current: Current::amps(amps?) };
        Some(HomePost { post, night: Minutes::new(60.0 * hours?), limit: Soc::percent(limit?) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_post_comes_back_and_nothing_is_no_post() {
        let home = HomePost {
            post: Post { phases: 3, voltage: Voltage::volts(230.0), current: Current::amps(16.0) },
            night: Minutes::new(510.0),
            limit: Soc::percent(80.0),
        };
        let mut kept = HomeForm::of(Some(home));
        assert_eq!((kept.home(), kept.is_wrong()), (Some(home), false));
        let mut none = HomeForm::of(None);
        assert_eq!((none.home(), none.is_wrong()), (None, false));
        let mut wrong = HomeForm::new(HomeFields { phases: "4".into(), volts: "230".into(), ..HomeFields::default() });
        assert_eq!((wrong.home(), wrong.is_wrong()), (None, true));
        let faulty = wrong.fields().map(|(name, _, field)| field.fault.as_ref().map(|_| name));
        assert_eq!(faulty, [Some("phases"), None, Some("amps"), Some("hours"), Some("limit")]);
    }
}
