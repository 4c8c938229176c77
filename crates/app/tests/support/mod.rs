//! The app for tests, over a store of its own that is gone when dropped: its handlers called in this process ([`Pages`]), or
//! a running server with a port of its own ([`Server`]) where a test kills it, its host name counts, or a browser asks.

#![allow(
    dead_code,
    unused_imports,
    missing_docs,
    unreachable_pub,
    clippy::unwrap_used,
    clippy::float_cmp,
    clippy::missing_panics_doc,
    reason = "each test file uses its own part"
)]

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use tempfile::TempDir;

mod in_process;

pub use in_process::{Answer, Pages, request};

pub struct Server {
    child: Child,
    pub url: String,
    pub directory: PathBuf,
    kept: Option<TempDir>,
}

impl Server {
    /// Starts `spare-hour COMMAND` on a directory of its own.
    pub fn start(command: &str) -> Self {
        let directory = tempfile::tempdir().unwrap();
        let mut server = Self::start_on(command, directory.path(), &[]);
        server.kept = Some(directory);
        server
    }

    /// Starts `spare-hour COMMAND` on a directory.
    pub fn start_on(command: &str, directory: &Path, arguments: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_spare-hour"))
            .args([command, "--port", "0", "--data"])
            .arg(directory)
            .args(arguments)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let url =
            line.split_whitespace().find(|word| word.starts_with("http")).expect("it says where it is").to_string();
        Self { child, url, directory: directory.to_path_buf(), kept: None }
    }

    /// The number of its process.
    pub fn process(&self) -> u32 {
        self.child.id()
    }

    /// The status and body of a GET.
    pub fn get(&self, path: &str) -> (u16, String) {
        let mut response = agent().get(format!("{}{path}", self.url)).call().unwrap();
        (response.status().as_u16(), response.body_mut().read_to_string().unwrap())
    }

    /// The status and body of a POST of a form's fields, redirects not followed.
    pub fn post(&self, path: &str, fields: &[(&str, &str)]) -> (u16, String) {
        let mut response = agent().post(format!("{}{path}", self.url)).send_form(fields.iter().copied()).unwrap();
        (response.status().as_u16(), response.body_mut().read_to_string().unwrap())
    }

    /// The status and bytes of a GET.
    pub fn get_bytes(&self, path: &str) -> (u16, String, Vec<u8>) {
        let mut response = agent().get(format!("{}{path}", self.url)).call().unwrap();
        let kind = response.headers().get("content-type").map(|kind| kind.to_str().unwrap().to_string());
        (response.status().as_u16(), kind.unwrap_or_default(), response.body_mut().read_to_vec().unwrap())
    }

    /// The status and body of a POST of lines.
    pub fn post_lines(&self, path: &str, lines: &str) -> (u16, String) {
        let mut response = agent().post(format!("{}{path}", self.url)).send(lines).unwrap();
        (response.status().as_u16(), response.body_mut().read_to_string().unwrap())
    }

    /// The status, `Location` and body of a POST of a form with files, redirects not followed.
    pub fn upload(&self, path: &str, parts: &[(&str, &str)], file: Option<(&str, &str)>) -> (u16, String, String) {
        self.upload_bytes(path, parts, file.map(|(name, text)| (name, text.as_bytes())))
    }

    /// Like [`Server::upload`], with a file that need not be text.
    pub fn upload_bytes(
        &self,
        path: &str,
        parts: &[(&str, &str)],
        file: Option<(&str, &[u8])>,
    ) -> (u16, String, String) {
        let body = multipart(parts, file);
        let request =
            agent().post(format!("{}{path}", self.url)).header("content-type", "multipart/form-data; boundary=x");
        let mut response = request.send(&body[..]).unwrap();
        let location = response.headers().get("location").map(|l| l.to_str().unwrap().to_string()).unwrap_or_default();
        (response.status().as_u16(), location, response.body_mut().read_to_string().unwrap())
    }

    /// Ends the process at once, as a power cut would.
    pub fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Asks the process to stop and says whether it ended well.
    #[cfg(unix)]
    pub fn stop(mut self) -> bool {
        Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status().unwrap();
        self.child.wait().unwrap().success()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The body of a form with texts and a file, its parts divided by `x`.
fn multipart(parts: &[(&str, &str)], file: Option<(&str, &[u8])>) -> Vec<u8> {
    let mut body = Vec::new();
    for (name, text) in parts {
        let part = format!("--x\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{text}\r\n");
        body.extend_from_slice(part.as_bytes());
    }
    if let Some((name, bytes)) = file {
        let head = format!("--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n");
        body.extend_from_slice(head.as_bytes());
        body.extend_from_slice(bytes);
        body.extend_from_slice(b"\r\n");
    }
    body.extend_from_slice(b"--x--\r\n");
    body
}

pub fn agent() -> ureq::Agent {
    ureq::Agent::config_builder().http_status_as_error(false).max_redirects(0).build().into()
}
