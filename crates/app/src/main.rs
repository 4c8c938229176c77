//! The `spare-hour` command.

mod advise;
mod analyse;
mod copies;
mod demo;
mod directory;
mod doctor;
mod household;
mod plan;
mod serve;
mod stand_in;

use std::fmt;
use std::path::Path;
use std::process::ExitCode;

use clap::{Parser, Subcommand};

/// Plans the charging stops of a road trip from measured charges, and keeps the measurements.
#[derive(Parser)]
#[command(name = "spare-hour", version, arg_required_else_help = true)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the app with the demo data, in a database of its own.
    Demo(demo::Demo),
    /// Serve the app on your own data.
    Serve(serve::Serve),
    /// Everything that can be read off one measured charge.
    Analyse(analyse::Analyse),
    /// The best plan of a trip, and the strategies beside it.
    Plan(plan::PlanTrip),
    /// Leave now, or wait? At a site of a trip under way.
    Advise(advise::Advise),
    /// Copy the database into a file, while a server may be using it.
    Backup(copies::Backup),
    /// Put a copy of the database in the place of what is kept.
    Restore(copies::Restore),
    /// Who has an account where the app is served to a network, and codes to choose a password with.
    Household(household::Household),
    /// Check directory, database, time zone and port.
    Doctor(doctor::Doctor),
    /// Let a simulated charger feed a charge that is being measured.
    StandIn(stand_in::Play),
}

/// Why a command did not do what it was asked.
#[derive(Debug)]
enum Failure {
    /// The input is wrong: exit code 1.
    Input(String),
    /// The trip cannot be driven: exit code 2.
    Infeasible(String),
    /// Something else went wrong: exit code 1.
    Other(anyhow::Error),
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Input(message) | Self::Infeasible(message) => f.write_str(message),
            Self::Other(error) => write!(f, "{error:#}"),
        }
    }
}

impl From<anyhow::Error> for Failure {
    fn from(error: anyhow::Error) -> Self {
        Self::Other(error)
    }
}

fn main() -> ExitCode {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let _ = error.print();
            // Wrong arguments are wrong input; asking for help is not.
            return ExitCode::from(u8::from(error.use_stderr()));
        }
    };
    let done = match arguments.command {
        Command::Demo(demo) => demo.run().map_err(Failure::from),
        Command::Serve(serve) => serve.run().map_err(Failure::from),
        Command::Analyse(analyse) => analyse.run(),
        Command::Plan(plan) => plan.run(),
        Command::Advise(advise) => advise.run(),
        Command::Backup(backup) => backup.run().map_err(Failure::from),
        Command::Restore(restore) => restore.run().map_err(Failure::from),
        Command::Household(household) => household.run().map_err(Failure::from),
        Command::Doctor(doctor) => doctor.run(),
        Command::StandIn(play) => play.run(),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => {
            eprintln!("spare-hour: {failure}");
            ExitCode::from(if matches!(failure, Failure::Infeasible(_)) { 2 } else { 1 })
        }
    }
}

/// The bytes of an input file, unless it is larger than any format allows.
fn read_file(path: &Path) -> Result<Vec<u8>, Failure> {
    let wrong = |what: String| Failure::Input(format!("{}: {what}", path.display()));
    let size = std::fs::metadata(path).map_err(|error| wrong(error.to_string()))?.len();
    let most = spare_hour_formats::MOST_BYTES;
    if size > most as u64 {
        return Err(wrong(format!("the file has {size} bytes; expected at most {most}")));
    }
    std::fs::read(path).map_err(|error| wrong(error.to_string()))
}

/// What comes on standard input.
fn read_input() -> Result<Vec<u8>, Failure> {
    use std::io::Read;
    let most = spare_hour_formats::MOST_BYTES;
    let wrong = |what: String| Failure::Input(format!("standard input: {what}"));
    let mut bytes = Vec::new();
    std::io::stdin().take(most as u64 + 1).read_to_end(&mut bytes).map_err(|error| wrong(error.to_string()))?;
    if bytes.len() > most {
        return Err(wrong(format!("has more than {most} bytes; expected at most so many")));
    }
    Ok(bytes)
}

/// Prints to standard output; a reader that has gone away is no failure.
fn print(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stdout(), "{}", text.trim_end());
}
