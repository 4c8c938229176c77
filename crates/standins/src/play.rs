//! Sends a charger's lines to a server as they fall due, in real time or faster.

use std::time::{Duration, Instant};

use thiserror::Error;

use crate::charger::TimedLine;

/// Lines that are sent in one request at most.
const AT_ONCE: usize = 200;
/// How often a request that met no server is sent again, and how long to wait in between.
const ATTEMPTS: u32 = 5;
const WAIT: Duration = Duration::from_millis(300);

/// Why playing ended early.
#[derive(Debug, Error)]
pub enum PlayError {
    /// The server took no lines under this address.
    #[error("{address} answered {status}: {body}")]
    Refused {
        /// Where lines were sent.
        address: String,
        /// The answer's status.
        status: u16,
        /// What it said.
        body: String,
    },
    /// No server answered.
    #[error("{address} does not answer: {problem}")]
    Silent {
        /// Where lines were sent.
        address: String,
        /// What went wrong last.
        problem: String,
    },
}

/// Sends lines to `address` (`http://…/meter/TOKEN`), `speed` times as fast as they happened, and returns when all are sent
/// or `stop` says so.
///
/// # Errors
/// When the server refuses the lines or does not answer.
pub fn play(lines: &[TimedLine], address: &str, speed: f64, stop: impl Fn() -> bool) -> Result<(), PlayError> {
    let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let began = Instant::now();
    let mut rest = lines;
    while let Some(first) = rest.first() {
        let due = Duration::from_secs_f64(first.second / speed);
        if stop() {
            return Ok(());
        }
        if let Some(early) = due.checked_sub(began.elapsed()) {
            // Short naps, so that a stop is heard.
            std::thread::sleep(early.min(Duration::from_millis(200)));
            continue;
        }
        let now = began.elapsed().as_secs_f64() * speed;
        let count = rest.iter().take(AT_ONCE).take_while(|line| line.second <= now).count().max(1);
        let body: String = rest[..count].iter().map(|line| format!("{}\n", line.text)).collect();
        send(&agent, address, &body)?;
        rest = &rest[count..];
    }
    Ok(())
}

fn send(agent: &ureq::Agent, address: &str, body: &str) -> Result<(), PlayError> {
    let mut problem = String::new();
    for _ in 0..ATTEMPTS {
        match agent.post(address).header("content-type", "application/x-ndjson").send(body) {
            Ok(mut answer) => {
                let status = answer.status().as_u16();
                if status < 300 {
                    return Ok(());
                }
                let body = answer.body_mut().read_to_string().unwrap_or_default();
                return Err(PlayError::Refused { address: address.into(), status, body });
            }
            Err(error) => problem = error.to_string(),
        }
        std::thread::sleep(WAIT);
    }
    Err(PlayError::Silent { address: address.into(), problem })
}
