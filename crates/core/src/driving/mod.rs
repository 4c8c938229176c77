//! Driving: the log of drives, what they say of consumption, and the road.

pub mod air_density;
pub mod coming_month;
pub mod consumption_fit;
pub mod drive;
pub mod drive_findings;
pub mod least_squares;
pub mod month_balance;
pub mod near_track;
pub mod road;
pub mod road_load;
pub mod route;
pub mod track;
pub mod track_stretches;
