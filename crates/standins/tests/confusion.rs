//! How often findings find what is there and accuse what is not, on invented charges. The demands are the product's own.

#![allow(missing_docs)]

mod invented;

use invented::{Fault, confusion};

#[test]
fn faults_are_found_and_clean_charges_left_in_peace() {
    let table = confusion(100);
    let mut said = Vec::new();
    for fault in Fault::ALL {
        let share = table.found[&fault] as f64 / table.charges as f64;
        if fault != Fault::Clean && share < fault.demand() {
            said.push(format!("{fault:?}: found {share:.2}"));
        }
    }
    if table.accused[&Fault::Clean] > 1 {
        said.push(format!("clean: accused {}", table.accused[&Fault::Clean]));
    }
    assert!(said.is_empty(), "{said:?}\n{}", table.markdown());
}
