//! One module per room, each with its templates beside it. A page imports http, forms, charts, planning and wording, never
//! another page.

pub(crate) mod backup;
pub(crate) mod cars;
pub(crate) mod compare;
pub(crate) mod drives;
pub(crate) mod home;
pub(crate) mod household;
pub(crate) mod ledger;
pub(crate) mod lists;
pub(crate) mod measure;
pub(crate) mod month;
pub(crate) mod practice;
pub(crate) mod road;
pub(crate) mod sessions;
pub(crate) mod settings;
pub(crate) mod start;
pub(crate) mod tariffs;
pub(crate) mod trips;
pub(crate) mod undo;
