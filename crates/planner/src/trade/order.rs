//! Keys by which labels are put in order: worked out once for each, and compared as whole numbers.

/// Bits that rise with a number, as by [`f64::total_cmp`].
pub(super) fn rising(number: f64) -> u64 {
    let bits = number.to_bits();
    if number.is_sign_negative() { !bits } else { bits | 1 << 63 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn keys_are_in_the_order_of_numbers(a in proptest::num::f64::ANY, b in proptest::num::f64::ANY) {
            prop_assert_eq!(rising(a).cmp(&rising(b)), a.total_cmp(&b));
        }
    }
}
