//! It holds: every refusal is told, work is bounded and ends with who asked, the server stops, copies are made and put back.

#![allow(missing_docs, clippy::unwrap_used)]

mod support;

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

use support::{Server, agent};

fn run(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_spare-hour")).args(arguments).output().unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// What a server answers to a request in its own words.
fn raw(server: &Server, head: &str) -> String {
    let address = server.url.strip_prefix("http://").unwrap();
    let mut stream = TcpStream::connect(address).unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
    stream.write_all(head.replace("HOST", address).as_bytes()).unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    text(&answer)
}

#[test]
fn every_refusal_is_a_page_or_json_with_what_to_do() {
    let server = Server::start("demo");
    let asks = |line: &str, more: &str| {
        raw(&server, &format!("{line} HTTP/1.1\r\nHost: HOST\r\nConnection: close\r\n{more}\r\n"))
    };
    let form = "Content-Type: application/x-www-form-urlencoded\r\nContent-Length: 0\r\n";
    for (line, more, status, said) in [
        ("DELETE /trips/1", "", 405, "does not take that kind of request"),
        ("GET /drives?from=x", "", 400, "could not be read"),
        ("POST /trips/1/name", "Content-Type: text/plain\r\nContent-Length: 0\r\n", 415, "expects a form"),
        ("POST /tariffs/1/memberships/remove", form, 422, "missing or is not what is expected"),
        ("GET /nowhere", "", 404, "nothing at this address"),
        ("GET /trips/999999999999", "", 404, "nothing at this address"),
    ] {
        let answer = asks(line, more);
        assert!(
            answer.starts_with(&format!("HTTP/1.1 {status}")),
            "{line}: {}",
            answer.lines().next().unwrap_or_default()
        );
        assert!(answer.contains("text/html") && answer.contains(said), "{line}: {answer}");
        assert!(answer.contains("content-security-policy"), "{line}");
    }
    assert!(asks("DELETE /trips/1", "").to_lowercase().contains("\r\nallow: "));
    let program = asks("GET /measure/1/events?from=x", "");
    assert!(program.starts_with("HTTP/1.1 400") && program.contains("{\"problem\":\""), "{program}");
    let large =
        asks("POST /trips/1/name", "Content-Type: application/x-www-form-urlencoded\r\nContent-Length: 99999999\r\n");
    assert!(large.starts_with("HTTP/1.1 413") && large.contains("larger than what is taken"), "{large}");
}

#[test]
fn a_persons_pages_are_kept_by_no_cache_and_the_server_says_whether_it_is_ready() {
    let server = Server::start("demo");
    for path in ["/", "/trips/1", "/sessions", "/backup.json", "/ledger"] {
        let response = agent().get(format!("{}{path}", server.url)).call().unwrap();
        assert_eq!(response.headers()["cache-control"], "no-store", "{path}");
    }
    let script = agent().get(format!("{}/assets/app.js", server.url)).call().unwrap();
    assert_eq!(script.headers()["content-type"], "text/javascript; charset=utf-8");
    assert_eq!(server.get("/ready"), (200, "ready".into()));
}

#[test]
fn the_log_is_an_object_a_line_with_the_number_of_the_request_and_nothing_of_a_persons() {
    let directory = tempfile::tempdir().unwrap();
    let mut child = Command::new(env!("CARGO_BIN_EXE_spare-hour"))
        .args(["demo", "--port", "0", "--data", directory.path().to_str().unwrap()])
        .envs([("SPARE_HOUR_LOG", "info"), ("SPARE_HOUR_LOG_FORMAT", "json")])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut told = BufReader::new(child.stdout.take().unwrap());
    let mut line = String::new();
    told.read_line(&mut line).unwrap();
    let url = line.split_whitespace().find(|word| word.starts_with("http")).unwrap().trim_end_matches('/');
    let answer = agent().get(format!("{url}/compare?session=1&what=four-grey-herons")).call().unwrap();
    let number = answer.headers()["x-request-id"].to_str().unwrap().to_string();
    child.kill().unwrap();
    let log = String::from_utf8(child.wait_with_output().unwrap().stderr).unwrap();
    let lines: Vec<serde_json::Value> = log.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let of_it = lines.iter().find(|line| line["span"]["id"] == number.as_str()).expect("the request is in the log");
    assert_eq!((&of_it["span"]["room"], &of_it["span"]["method"]), (&"compare".into(), &"GET".into()), "{of_it}");
    assert!(of_it["timestamp"].is_string() && of_it["fields"]["status"].is_number(), "{of_it}");
    assert!(!log.contains("heron"), "{log}");
}

#[test]
#[cfg(unix)]
fn it_stops_within_seconds_whoever_still_sends() {
    let server = Server::start("demo");
    let address = server.url.strip_prefix("http://").unwrap().to_string();
    let mut slow = TcpStream::connect(&address).unwrap();
    let head = format!(
        "POST /trips HTTP/1.1\r\nHost: {address}\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 1000\r\n\r\n--x"
    );
    slow.write_all(head.as_bytes()).unwrap();
    let _idle = TcpStream::connect(&address).unwrap();
    std::thread::sleep(Duration::from_millis(200));
    let asked = Instant::now();
    assert!(server.stop());
    // Promised are five seconds; the machine may be busy.
    assert!(asked.elapsed() < Duration::from_secs(9), "{:?}", asked.elapsed());
}

#[test]
fn plans_that_nobody_waits_for_cost_the_others_nothing() {
    let server = Server::start("demo");
    let address = server.url.strip_prefix("http://").unwrap().to_string();
    for index in 0..300 {
        let mut stream = TcpStream::connect(&address).unwrap();
        let line =
            format!("GET /trips/3/trade/whole?leave=x:{index}&value={index} HTTP/1.1\r\nHost: {address}\r\n\r\n");
        stream.write_all(line.as_bytes()).unwrap();
    }
    // They are gone; what they asked for ends with them, and others are answered. A server that worked them off would take minutes.
    let asked = Instant::now();
    assert_eq!(server.get("/health").0, 200);
    assert_eq!(server.get("/sessions").0, 200);
    assert_eq!(server.get("/trips/1").0, 200);
    assert!(asked.elapsed() < Duration::from_secs(20), "{:?}", asked.elapsed());
}

#[test]
fn a_copy_is_made_while_the_server_runs_and_is_put_back() {
    let directory = tempfile::tempdir().unwrap();
    let data = directory.path().join("data");
    let copy = directory.path().join("copy.db");
    let [data_text, copy_text] = [&data, &copy].map(|path: &std::path::PathBuf| path.to_str().unwrap().to_string());
    let server = Server::start_on("serve", &data, &[]);
    assert_eq!(server.post("/cars", &[("name", "Mine"), ("usable", "60"), ("loss", "8")]).0, 303);
    let made = run(&["backup", &copy_text, "--data", &data_text]);
    assert!(made.status.success(), "{}", text(&made.stderr));
    // A copy that is there is never written over, and nothing is put back under a server that runs.
    assert!(!run(&["backup", &copy_text, "--data", &data_text]).status.success());
    assert_eq!(server.post("/cars", &[("name", "Later"), ("usable", "60"), ("loss", "8")]).0, 303);
    let refused = run(&["restore", &copy_text, "--data", &data_text]);
    assert!(text(&refused.stderr).contains("in use by another Spare Hour"), "{}", text(&refused.stderr));
    server.kill();
    assert!(run(&["restore", &copy_text, "--data", &data_text]).status.success());
    let server = Server::start_on("serve", &data, &[]);
    let cars = server.get("/cars").1;
    assert!(cars.contains("Mine") && !cars.contains("Later"));
    assert!(data.join("spare-hour-set-aside-1.db").exists());
    only_for_its_user(&data);
}

#[cfg(unix)]
fn only_for_its_user(data: &Path) {
    use std::os::unix::fs::PermissionsExt;
    let mode = |path: &Path| std::fs::metadata(path).unwrap().permissions().mode() & 0o777;
    assert_eq!((mode(data), mode(&data.join("spare-hour.db"))), (0o700, 0o600));
}

#[cfg(not(unix))]
fn only_for_its_user(_data: &Path) {}

#[test]
fn the_doctor_says_what_is_wrong() {
    let directory = tempfile::tempdir().unwrap();
    let data = directory.path().to_str().unwrap();
    let check = || run(&["doctor", "--data", data, "--port", "0"]);
    let well = text(&check().stdout);
    assert!(well.contains("ok     directory") && well.contains("ok     port"), "{well}");
    std::fs::write(directory.path().join("spare-hour.db"), "no database at all, but long enough to be read as one")
        .unwrap();
    let output = check();
    assert!(
        output.status.code() == Some(1) && text(&output.stdout).contains("wrong  database"),
        "{}",
        text(&output.stdout)
    );
}

#[test]
fn a_meter_may_name_its_charge_in_a_header() {
    let server = Server::start("demo");
    let (status, _) = server.post("/measure", &[("car", "1")]);
    assert_eq!(status, 303);
    let page = server.get("/measure/1").1;
    let token = page.split("Bearer ").nth(1).unwrap().split('<').next().unwrap().to_string();
    let feed = |token: &str| {
        let request = agent().post(format!("{}/meter", server.url)).header("authorization", format!("Bearer {token}"));
        request.send("{\"what\":\"reading\",\"soc\":12,\"power_kw\":80}\n").unwrap().status().as_u16()
    };
    assert_eq!((feed(&token), feed("guessed"), feed("")), (200, 404, 404));
    assert!(server.get("/measure/1/events").1.contains("\"soc\":12"));
}

#[test]
fn connections_are_encrypted_with_a_certificate_of_ones_own() {
    use std::sync::Arc;
    use tokio_rustls::rustls::{ClientConfig, ClientConnection, RootCertStore, StreamOwned};

    let directory = tempfile::tempdir().unwrap();
    let made = rcgen::generate_simple_self_signed(vec!["localhost".to_string()]).unwrap();
    let path = |name: &str| directory.path().join(name).to_str().unwrap().to_string();
    let (certificate, key) = (path("cert.pem"), path("key.pem"));
    std::fs::write(&certificate, made.cert.pem()).unwrap();
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    let data = directory.path().join("data");
    let server = Server::start_on("serve", &data, &["--tls-cert", &certificate, "--tls-key", &key]);
    let address = server.url.strip_prefix("https://").unwrap().to_string();

    // rustls, as a client that trusts this certificate alone.
    let mut roots = RootCertStore::empty();
    roots.add(made.cert.der().clone()).unwrap();
    let config = Arc::new(ClientConfig::builder().with_root_certificates(roots).with_no_client_auth());
    let client = ClientConnection::new(config, "localhost".try_into().unwrap()).unwrap();
    let mut stream = StreamOwned::new(client, TcpStream::connect(&address).unwrap());
    stream.write_all(b"GET /health HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n").unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    assert!(
        text(&answer).starts_with("HTTP/1.1 200 OK") && text(&answer).contains("x-request-id"),
        "{}",
        text(&answer)
    );

    // In the open nothing is said there, and what is no certificate is told at the start.
    let mut open = TcpStream::connect(&address).unwrap();
    open.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
    open.write_all(b"GET /health HTTP/1.1\r\nHost: localhost\r\n\r\n").unwrap();
    let mut answer = Vec::new();
    let _ = open.read_to_end(&mut answer);
    assert!(!text(&answer).contains("HTTP/1.1 200"));
    let wrong = run(&["serve", "--port", "0", "--data", &path("other"), "--tls-cert", &key, "--tls-key", &key]);
    assert_eq!(wrong.status.code(), Some(1));
    assert!(text(&wrong.stderr).contains("holds none; expected PEM"), "{}", text(&wrong.stderr));
}
