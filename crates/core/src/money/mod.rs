//! Money: tariffs, the receipts of stops, and memberships.

pub mod measured_periods;
pub mod membership;
pub mod price_of_day;
pub mod receipt;
pub mod stop_periods;
pub mod tariff;
pub mod tariff_check;
