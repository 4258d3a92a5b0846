//! What a watcher reads: how many requests, how long they took, what waits. Text in the Prometheus format.

use std::fmt::Write;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use jurado_store::{Store, StoreError};

/// Upper ends of the classes of time, in milliseconds.
const CLASSES: [u64; 9] = [5, 10, 25, 50, 100, 250, 1_000, 5_000, 20_000];

/// Counts of one process since its start.
#[derive(Default)]
pub(crate) struct Metrics {
    /// By the first figure of the status, from 1 to 5.
    by_status: [AtomicU64; 5],
    /// By class of time, the last for what took longer than all.
    by_time: [AtomicU64; CLASSES.len() + 1],
    micros: AtomicU64,
}

/// Tables judged for a page since the start.
static JUDGED: AtomicU64 = AtomicU64::new(0);

/// Counts a table that was judged for a page.
pub(crate) fn judged() {
    JUDGED.fetch_add(1, Ordering::Relaxed);
}

impl Metrics {
    /// Counts a request that was answered.
    pub(crate) fn answered(&self, status: u16, took: Duration) {
        let class = usize::from((status / 100).clamp(1, 5)) - 1;
        self.by_status[class].fetch_add(1, Ordering::Relaxed);
        let millis = took.as_millis() as u64;
        let class = CLASSES.iter().position(|c| millis <= *c).unwrap_or(CLASSES.len());
        self.by_time[class].fetch_add(1, Ordering::Relaxed);
        self.micros.fetch_add(took.as_micros() as u64, Ordering::Relaxed);
    }

    /// Everything as text; what waits is asked of the database.
    pub(crate) fn text(&self, store: &Store) -> Result<String, StoreError> {
        let jobs = store.look(jurado_store::jobs::waiting)?;
        let (wants, clear) = store.look(jurado_store::docket::queue)?;
        let (open, idle) = store.connections();
        let get = |n: &AtomicU64| n.load(Ordering::Relaxed);
        let mut out = String::new();
        let mut line = |text: String| {
            let _ = writeln!(out, "{text}");
        };
        line("# HELP jurado_requests_total Requests answered, by class of status.".into());
        line("# TYPE jurado_requests_total counter".into());
        for (i, n) in self.by_status.iter().enumerate() {
            line(format!("jurado_requests_total{{status=\"{}xx\"}} {}", i + 1, get(n)));
        }
        line("# HELP jurado_request_seconds Time from the head of a request to its answer.".into());
        line("# TYPE jurado_request_seconds histogram".into());
        let mut sum = 0;
        for (i, n) in self.by_time.iter().enumerate() {
            sum += get(n);
            let end = CLASSES.get(i).map_or("+Inf".to_owned(), |c| format!("{}", *c as f64 / 1000.0));
            line(format!("jurado_request_seconds_bucket{{le=\"{end}\"}} {sum}"));
        }
        line(format!("jurado_request_seconds_sum {}", get(&self.micros) as f64 / 1e6));
        line(format!("jurado_request_seconds_count {sum}"));
        line("# HELP jurado_judgements_total Tables judged for a page.".into());
        line("# TYPE jurado_judgements_total counter".into());
        line(format!("jurado_judgements_total {}", get(&JUDGED)));
        line("# HELP jurado_connections Connections to the database, by state.".into());
        line("# TYPE jurado_connections gauge".into());
        line(format!("jurado_connections{{state=\"idle\"}} {idle}"));
        line(format!("jurado_connections{{state=\"busy\"}} {}", open.saturating_sub(idle)));
        line("# HELP jurado_jobs Long work that waits or is under way, by kind.".into());
        line("# TYPE jurado_jobs gauge".into());
        for kind in jurado_store::JobKind::ALL {
            let n = jobs.iter().find(|(k, _)| k == kind).map_or(0, |(_, n)| *n);
            line(format!("jurado_jobs{{kind=\"{}\"}} {n}", kind.word()));
        }
        line("# HELP jurado_queue Tables that wait for a person.".into());
        line("# TYPE jurado_queue gauge".into());
        line(format!("jurado_queue{{stage=\"wants\"}} {wants}"));
        line(format!("jurado_queue{{stage=\"clear\"}} {clear}"));
        Ok(out)
    }
}
