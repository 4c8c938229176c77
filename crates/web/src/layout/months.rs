//! Long lists: found by words, and folded by month.

/// So many rows are shown without folding months.
const UNFOLDED: usize = 24;

/// The rows of a month.
pub(crate) struct Month<T> {
    /// The month as in `2026-05`; `no day` where none is known.
    pub(crate) name: String,
    /// Whether its rows are unfolded.
    pub(crate) open: bool,
    pub(crate) rows: Vec<T>,
}

/// Rows by the months of their days, in the order of the rows. The first month is unfolded, and all are where there are few rows or
/// some are looked for.
pub(crate) fn by_month<T>(rows: Vec<T>, looked_for: bool, day: impl Fn(&T) -> &str) -> Vec<Month<T>> {
    let all = looked_for || rows.len() <= UNFOLDED;
    let mut months: Vec<Month<T>> = Vec::new();
    for row in rows {
        let name = day(&row).get(..7).unwrap_or("no day").to_string();
        match months.iter_mut().find(|known| known.name == name) {
            Some(known) => known.rows.push(row),
            None => months.push(Month { open: all || months.is_empty(), name, rows: vec![row] }),
        }
    }
    months
}

/// Whether a text has all words that are looked for.
pub(crate) fn has_words(text: &str, wanted: &str) -> bool {
    let text = text.to_lowercase();
    wanted.to_lowercase().split_whitespace().all(|word| text.contains(word))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hundreds_of_rows_are_folded_by_month() {
        let days: Vec<String> = (0..200).map(|at| format!("20{}-{:02}-03", 26 - at / 96, 12 - at / 8 % 12)).collect();
        let months = by_month(days.clone(), false, |day| day);
        assert_eq!(months.iter().map(|month| month.rows.len()).sum::<usize>(), 200);
        assert_eq!((months.len(), months.iter().filter(|month| month.open).count()), (25, 1));
        assert!(by_month(days[..20].to_vec(), false, |day| day).iter().all(|month| month.open));
        assert!(by_month(days, true, |day| day).iter().all(|month| month.open));
        assert_eq!(by_month(vec![""], false, |day| day)[0].name, "no day");
    }
}
