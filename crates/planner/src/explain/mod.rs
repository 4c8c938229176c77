//! Why a plan is as it is, and why there is none.

pub(crate) mod advice;
pub(crate) mod infeasible;
pub(crate) mod reasons;
