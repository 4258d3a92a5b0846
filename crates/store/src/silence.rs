//! A server that takes a question and never answers. Neither Diesel nor MariaDB's client library gives a connection a limit
//! of time for reading, so one thread looks on: where a question has waited too long, its connection is cut, the thread that
//! waits for it gets a fault like any lost connection, and the pool makes another.

use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::{Duration, Instant};

use diesel::connection::InstrumentationEvent;
use diesel::prelude::*;
use rustix::process::{PidfdFlags, PidfdGetfdFlags, getpid, pidfd_getfd, pidfd_open};
use socket2::Socket;

/// How long a question may wait. Longer than a lock is waited for, and than any statement of ours takes.
pub(crate) const LIMIT: Duration = Duration::from_secs(25);

/// A connection that is looked on.
struct Watched {
    asked: Mutex<Option<Instant>>,
    socket: Socket,
}

/// Looks on at connections as long as it lives.
pub(crate) struct Watch {
    all: Arc<Mutex<Vec<Weak<Watched>>>>,
    limit: Duration,
}

impl Watch {
    pub(crate) fn new(limit: Duration) -> Watch {
        let watch = Watch { all: Arc::default(), limit };
        let all = Arc::downgrade(&watch.all);
        std::thread::spawn(move || {
            while let Some(all) = all.upgrade() {
                cut_silent(&all, limit);
                drop(all);
                std::thread::sleep((limit / 20).clamp(Duration::from_millis(20), Duration::from_secs(1)));
            }
        });
        watch
    }

    /// Looks on at a connection from now. One whose socket cannot be found, such as a local socket's, is left alone.
    pub(crate) fn over(&self, sql: &mut MysqlConnection) {
        let Some(socket) = socket_of(sql) else {
            log::debug!("a connection whose socket was not found has no limit of {:?}", self.limit);
            return;
        };
        let watched = Arc::new(Watched { asked: Mutex::new(None), socket });
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|w| w.strong_count() > 0);
        all.push(Arc::downgrade(&watched));
        sql.set_instrumentation(move |event: InstrumentationEvent<'_>| {
            let asked = match event {
                InstrumentationEvent::StartQuery { .. } => Some(Instant::now()),
                InstrumentationEvent::FinishQuery { .. } => None,
                _ => return,
            };
            *watched.asked.lock().unwrap_or_else(PoisonError::into_inner) = asked;
        });
    }
}

fn cut_silent(all: &Mutex<Vec<Weak<Watched>>>, limit: Duration) {
    let watched: Vec<Arc<Watched>> =
        all.lock().unwrap_or_else(PoisonError::into_inner).iter().filter_map(Weak::upgrade).collect();
    for w in watched {
        let asked = *w.asked.lock().unwrap_or_else(PoisonError::into_inner);
        if asked.is_some_and(|at| at.elapsed() > limit) {
            log::warn!("the database has not answered for {limit:?}: the connection is cut");
            let _ = w.socket.shutdown(std::net::Shutdown::Both);
        }
    }
}

#[derive(QueryableByName)]
struct Host {
    #[diesel(sql_type = diesel::sql_types::Text)]
    host: String,
}

/// A second handle of a connection's socket. The server says which port of ours the connection comes from; of the open
/// sockets of this process the one with that port is it.
fn socket_of(sql: &mut MysqlConnection) -> Option<Socket> {
    let Host { host } = diesel::sql_query("SELECT host FROM information_schema.processlist WHERE id = CONNECTION_ID()")
        .get_result(sql)
        .ok()?;
    let port: u16 = host.rsplit_once(':')?.1.parse().ok()?;
    let this = pidfd_open(getpid(), PidfdFlags::empty()).ok()?;
    std::fs::read_dir("/proc/self/fd")
        .ok()?
        .filter_map(|entry| entry.ok()?.file_name().to_str()?.parse().ok())
        .filter_map(|fd| pidfd_getfd(&this, fd, PidfdGetfdFlags::empty()).ok())
        .map(Socket::from)
        .find(|s| {
            let ours = s.local_addr().ok().and_then(|a| a.as_socket()).map(|a: SocketAddr| a.port());
            ours == Some(port) && s.peer_addr().is_ok()
        })
}
