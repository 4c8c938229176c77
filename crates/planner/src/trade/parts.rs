//! Work in a few parts at once. The parts are the same on every machine, so what comes of them is, too.

/// As many parts as there are.
const PARTS: usize = 4;

/// Deals items out into parts, works at each on a thread of its own, and gives back what comes of each, in the order of the parts.
pub(super) fn in_parts<T: Send, R: Send>(items: Vec<T>, work: impl Fn(Vec<T>) -> R + Sync) -> Vec<R> {
    let mut parts: Vec<Vec<T>> = (0..PARTS).map(|_| Vec::with_capacity(items.len() / PARTS + 1)).collect();
    for (index, item) in items.into_iter().enumerate() {
        parts[index % PARTS].push(item);
    }
    let work = &work;
    std::thread::scope(|scope| {
        let threads: Vec<_> = parts.into_iter().map(|part| scope.spawn(move || work(part))).collect();
        let joined = threads.into_iter().map(std::thread::ScopedJoinHandle::join);
        joined.map(|done| done.unwrap_or_else(|panic| std::panic::resume_unwind(panic))).collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_item_is_in_one_part() {
        for count in 0..10 {
            let mut all: Vec<usize> = in_parts((0..count).collect(), |part| part).concat();
            all.sort_unstable();
            assert_eq!(all, (0..count).collect::<Vec<_>>());
        }
    }
}
