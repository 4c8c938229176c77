//! What may be decided on a trip, what each decision takes, and what a list of decisions adds up to.

pub(crate) mod leg;
pub(crate) mod plan;
pub(crate) mod problem;
pub(crate) mod replay;
pub(crate) mod road_index;
pub(crate) mod stop_cost;
