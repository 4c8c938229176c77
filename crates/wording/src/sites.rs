//! What is known of a charging site, in words.

use spare_hour_core::quantity::Minutes;
use spare_hour_core::quantity::units::ClockFace;
use spare_hour_core::trip::Site;

use crate::figures;

/// What is known of a site beside its power: each part in a few words.
pub fn in_words(site: &Site, clock: ClockFace) -> Vec<String> {
    let details = &site.details;
    let stalls = |count: u32| match details.out_of_order {
        Some(broken) if broken > 0 => format!("{count} stalls, {broken} out of order when last seen"),
        _ => format!("{count} stalls"),
    };
    let mut words: Vec<String> = details.stalls.map(stalls).into_iter().collect();
    let wait = details.wait.get();
    if wait > 0.0 {
        words.push(format!("{} min of wait in its fixed minutes", figures::field(wait)));
    }
    words.extend(details.cabinet.filter(|_| details.is_shared()).map(|count| format!("{count} share a cabinet")));
    words.extend(details.hours.as_ref().map(|hours| format!("open {}", hours.told(clock))));
    words.extend(details.connectors.iter().map(ToString::to_string));
    words.extend([&details.facilities, &details.note].into_iter().flatten().cloned());
    words
}

/// What a neighbour at the same cabinet may cost at a stop.
pub fn beside_a_neighbour(more: Minutes) -> String {
    let more = figures::more_minutes(more.get());
    format!("{more} if a neighbour at the same cabinet charges all the while")
}

/// What a site asks: by the kWh, the minute and the stop.
pub fn price_in_words(site: &Site, currency: &str) -> String {
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
    use spare_hour_core::quantity::{Distance, Power, Speed};
    use spare_hour_core::trip::Price;
    use spare_hour_core::trip::site_details::SiteDetails;

    fn site(per_kwh: f64, per_min: f64, details: SiteDetails) -> Site {
        Site {
            id: "s".into(),
            name: "S".into(),
            at: Distance::km(10.0),
            off_route: Distance::km(0.0),
            off_route_speed: Speed::kmh(50.0),
            max_power: Power::kw(150.0),
            max_current: None,
            overhead: Minutes::new(9.0),
            price: Price { per_kwh, per_min, per_session: 0.0 },
            details,
        }
    }

    #[test]
    fn tells_what_is_known_and_nothing_else() {
        let known_site = SiteDetails {
            stalls: Some(6),
            out_of_order: Some(1),
            wait: Minutes::new(5.0),
            cabinet: Some(2),
            hours: "Mo-Fr 06:00-22:00".parse().ok(),
            facilities: Some("eat".into()),
            ..SiteDetails::default()
        };
        let sites = [site(0.6, 0.1, known_site), site(0.5, 0.0, SiteDetails::default())];
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
