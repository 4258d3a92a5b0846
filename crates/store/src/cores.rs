//! Work on many things at once, on every core.

/// Fewest things that a core of its own is begun for.
const FEWEST: usize = 16;

/// What `one` makes of each, in their order; every core works on a part.
pub fn on_all_cores<T: Sync, U: Send>(all: &[T], one: impl Fn(&T) -> U + Sync) -> Vec<U> {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let part = all.len().div_ceil(cores).max(FEWEST);
    std::thread::scope(|scope| {
        let threads: Vec<_> =
            all.chunks(part).map(|some| scope.spawn(|| some.iter().map(&one).collect::<Vec<U>>())).collect();
        threads.into_iter().flat_map(|t| t.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))).collect()
    })
}
