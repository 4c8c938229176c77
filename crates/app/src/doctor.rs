//! `spare-hour doctor`: whether everything that Spare Hour needs is as it should be.

use std::net::{Ipv4Addr, TcpListener};
use std::path::PathBuf;

use clap::Args;
use jiff::tz::TimeZone;
use spare_hour_store::{FILE, damage_of};

use crate::Failure;
use crate::directory::{Claimed, data_directory};
use crate::serve::PORT;

/// Check directory, database, time zone and port, and say what to do.
#[derive(Args)]
pub(crate) struct Doctor {
    /// Directory of the data.
    #[arg(long)]
    data: Option<PathBuf>,
    /// The port that the server would listen on.
    #[arg(long, default_value_t = PORT)]
    port: u16,
}

/// What a check found.
type Found = Result<String, String>;

impl Doctor {
    pub(crate) fn run(&self) -> Result<(), Failure> {
        let directory = self.data.clone().map_or_else(data_directory, Ok)?;
        let checks: [(&str, Found); 4] = [
            ("directory", self::directory(&directory)),
            ("database", database(&directory)),
            ("time zone", time_zone()),
            ("port", port(self.port)),
        ];
        let mut wrong = 0;
        for (what, found) in checks {
            match found {
                Ok(said) => crate::print(&format!("ok     {what}: {said}")),
                Err(problem) => {
                    wrong += 1;
                    crate::print(&format!("wrong  {what}: {problem}"));
                }
            }
        }
        if wrong == 0 { Ok(()) } else { Err(Failure::Input(format!("{wrong} of 4 checks found something wrong"))) }
    }
}

fn directory(path: &std::path::Path) -> Found {
    match Claimed::new(path) {
        Ok(_) => Ok(format!("{} can be written to, and nobody uses it", path.display())),
        Err(error) => Err(format!("{error:#}")),
    }
}

fn database(directory: &std::path::Path) -> Found {
    let path = directory.join(FILE);
    if !path.exists() {
        return Ok("there is none yet; the first start makes it".into());
    }
    match damage_of(&path) {
        Ok(None) => Ok(format!("{} is whole", path.display())),
        Ok(Some(damage)) => Err(format!(
            "{} is damaged: {damage}. Put the last copy back: spare-hour restore {}/copies/DAY.db",
            path.display(),
            directory.display()
        )),
        Err(error) => Err(error.to_string()),
    }
}

fn time_zone() -> Found {
    let zone = TimeZone::system();
    match zone.iana_name() {
        Some(name) => Ok(name.into()),
        None => Err("this machine's time zone has no name; set TZ to one such as Europe/Lisbon".into()),
    }
}

fn port(port: u16) -> Found {
    match TcpListener::bind((Ipv4Addr::LOCALHOST, port)) {
        Ok(_) => Ok(format!("{port} is free")),
        Err(error) => Err(format!("{port} cannot be listened on ({error}); choose another with --port")),
    }
}
