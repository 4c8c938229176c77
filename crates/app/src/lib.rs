//! What the `spare-hour` command serves beside a person's own data; its tests fill stores of their own with it.

pub mod demo_data;
