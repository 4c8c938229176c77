//! The release server under 1 to 256 connections, beside a bare handler that answers as many bytes, in the same run: `cargo bench -p
//! spare-hour --bench load`. Ratios are kept in docs/performance.md.

#![allow(clippy::unwrap_used, missing_docs)]

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use axum::Router;
use axum::routing::get;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// What is asked for, of the demo.
const PAGES: [&str; 7] = ["/health", "/tariffs", "/", "/sessions/1", "/trips/1", "/trips/1/plan?start=81", "/cars/1"];
const CONNECTIONS: [usize; 5] = [1, 4, 16, 64, 256];
/// How long each is asked, and before that without being counted.
const ASKED: Duration = Duration::from_millis(1_500);
const WARM: Duration = Duration::from_millis(500);
/// Tells this program to be the bare handler, of so many bytes.
const BARE: &str = "SPARE_HOUR_BARE";

/// A server in a process of its own.
struct Served {
    child: Child,
    address: String,
}

impl Served {
    fn new(command: &mut Command) -> Self {
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let url = line.split_whitespace().find(|word| word.starts_with("http")).unwrap();
        let address = url.trim_start_matches("http://").trim_end_matches('/').to_string();
        Self { child, address }
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Requests a second, how many of a hundred were told that the server is busy, and how long one takes, milliseconds.
struct Load {
    a_second: f64,
    busy: f64,
    median: f64,
    slow: f64,
}

fn main() {
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().unwrap();
    if let Ok(bytes) = std::env::var(BARE) {
        return runtime.block_on(serve_bare(bytes.parse().unwrap()));
    }
    let directory = tempfile::tempdir().unwrap();
    let mut demo = Command::new(env!("CARGO_BIN_EXE_spare-hour"));
    let ours = Served::new(demo.args(["demo", "--port", "0", "--data"]).arg(directory.path()));
    println!("| page, bytes | connections | requests/s | busy, % | bare | ratio | median, 99 of 100, ms | bare |");
    println!("|---|---|---|---|---|---|---|---|");
    for page in PAGES {
        let size = runtime.block_on(size_of(&ours.address, page));
        let bare = Served::new(Command::new(std::env::current_exe().unwrap()).env(BARE, size.to_string()));
        for connections in CONNECTIONS {
            let one = runtime.block_on(load(&ours.address, page, connections));
            let other = runtime.block_on(load(&bare.address, "/", connections));
            let (a, b) = (one.a_second, other.a_second);
            let times = |load: &Load| format!("{:.2}, {:.2}", load.median, load.slow);
            println!(
                "| {page}, {size} | {connections} | {a:.0} | {:.0} | {b:.0} | {:.3} | {} | {} |",
                one.busy,
                a / b,
                times(&one),
                times(&other)
            );
        }
    }
}

async fn serve_bare(bytes: usize) {
    let page = "x".repeat(bytes);
    let router = Router::new().route("/", get(move || std::future::ready(page.clone())));
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    println!("http://{}", listener.local_addr().unwrap());
    axum::serve(listener, router).await.unwrap();
}

async fn size_of(address: &str, page: &str) -> usize {
    let mut stream = TcpStream::connect(address).await.unwrap();
    ask(&mut stream, &request(address, page), &mut Vec::new()).await.expect("it is not busy yet")
}

fn request(address: &str, page: &str) -> String {
    format!("GET {page} HTTP/1.1\r\nHost: {address}\r\n\r\n")
}

/// Asks once and reads the answer; the bytes of its body, `None` where the server is busy.
async fn ask(stream: &mut TcpStream, request: &str, buffer: &mut Vec<u8>) -> Option<usize> {
    stream.write_all(request.as_bytes()).await.unwrap();
    buffer.clear();
    loop {
        assert!(stream.read_buf(buffer).await.unwrap() > 0, "the answer ended early");
        let Some(head) = buffer.windows(4).position(|four| four == b"\r\n\r\n") else { continue };
        let text = std::str::from_utf8(&buffer[..head]).unwrap().to_ascii_lowercase();
        let busy = text.starts_with("http/1.1 503");
        assert!(busy || text.starts_with("http/1.1 200"), "{text}");
        let length = text.lines().find_map(|line| line.strip_prefix("content-length: ")).unwrap();
        let size: usize = length.parse().unwrap();
        while buffer.len() < head + 4 + size {
            assert!(stream.read_buf(buffer).await.unwrap() > 0, "the answer ended early");
        }
        return (!busy).then_some(size);
    }
}

/// So many connections that ask, each again as soon as it is answered.
async fn load(address: &str, page: &str, connections: usize) -> Load {
    let begin = Instant::now() + WARM;
    let end = begin + ASKED;
    let asking = (0..connections).map(|_| {
        let (address, request) = (address.to_string(), request(address, page));
        tokio::spawn(async move {
            let mut stream = TcpStream::connect(address).await.unwrap();
            let (mut buffer, mut took, mut busy) = (Vec::new(), Vec::new(), 0);
            while Instant::now() < end {
                let asked = Instant::now();
                let answered = ask(&mut stream, &request, &mut buffer).await.is_some();
                if asked >= begin && answered {
                    took.push(asked.elapsed().as_secs_f64() * 1e3);
                } else if asked >= begin {
                    busy += 1;
                }
            }
            (took, busy)
        })
    });
    let (mut took, mut busy) = (Vec::new(), 0);
    for one in asking.collect::<Vec<_>>() {
        let (of_one, refused) = one.await.unwrap();
        took.extend(of_one);
        busy += refused;
    }
    took.sort_by(f64::total_cmp);
    let at = |share: f64| took[((took.len() - 1) as f64 * share) as usize];
    let share = 100.0 * f64::from(busy) / (took.len() as f64 + f64::from(busy));
    Load { a_second: took.len() as f64 / ASKED.as_secs_f64(), busy: share, median: at(0.5), slow: at(0.99) }
}
