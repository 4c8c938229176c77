//! What is known of a charging site, in words.

use spare_hour_core::quantity::units::ClockFace;
use spare_hour_core::trip::Site;

use crate::say;

/// What is known of a site beside its power: each part in a few words.
pub(super) fn in_words(site: &Site, clock: ClockFace) -> Vec<String> {
    let details = &site.details;
    let stalls = |count: u32| match details.out_of_order {
        Some(broken) if broken > 0 => format!("{count} stalls, {broken} out of order when last seen"),
        _ => format!("{count} stalls"),
    };
    let mut words: Vec<String> = details.stalls.map(stalls).into_iter().collect();
    let wait = details.wait.get();
    if wait > 0.0 {
        words.push(format!("{} min of wait in its fixed minutes", say::field(wait)));
    }
    words.extend(details.cabinet.filter(|_| details.is_shared()).map(|count| format!("{count} share a cabinet")));
    words.extend(details.hours.as_ref().map(|hours| format!("open {}", hours.told(clock))));
    words.extend(details.connectors.iter().map(ToString::to_string));
    words.extend([&details.facilities, &details.note].into_iter().flatten().cloned());
    words
}

/// What a site asks: by the kWh, the minute and the stop.
pub(super) fn price_in_words(site: &Site, currency: &str) -> String {
    let price = site.price;
    let mut parts = vec![format!("{:.2} {currency}/kWh", price.per_kwh)];
    if price.per_min > 0.0 {
        parts.push(format!("{:.2}/min", price.per_min));
    }
    if price.per_session > 0.0 {
        parts.push(format!("{:.2} a stop", price.per_session));
    }
    parts.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tells_what_is_known_and_nothing_else() {
        let list = b"at_km,max_kw,overhead_min,wait_min,stalls,out_of_order,cabinet_stalls,opening_hours,facilities,per_kwh,per_min\n\
            10,150,9,5,6,1,2,Mo-Fr 06:00-22:00,eat,0.6,0.1\n20,50,4,0,,,,,,0.5,0\n";
        let sites = spare_hour_formats::read_sites(list).unwrap();
        let known = [
            "6 stalls, 1 out of order when last seen",
            "5 min of wait in its fixed minutes",
            "2 share a cabinet",
            "open Mo-Fr 06:00-22:00",
            "eat",
        ];
        assert_eq!(in_words(&sites[0], ClockFace::TwentyFour), known);
        assert!(in_words(&sites[0], ClockFace::Twelve).contains(&"open Mo-Fr 6:00 am-10:00 pm".to_string()));
        assert!(in_words(&sites[1], ClockFace::TwentyFour).is_empty());
        assert_eq!(price_in_words(&sites[0], "cr"), "0.60 cr/kWh, 0.10/min");
        assert_eq!(price_in_words(&sites[1], "cr"), "0.50 cr/kWh");
    }
}
