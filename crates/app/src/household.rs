//! `spare-hour household`: who has an account, and codes to choose a password with: the way in for the first, and back in for whoever lost
//! theirs. It may be used while a server runs.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use clap::{Args, Subcommand};
use spare_hour_store::{Role, Store};
use spare_hour_web::{new_token, token_hash};

use crate::directory::data_directory;

/// A code holds for so many seconds: an hour.
const CODE_HOLDS: i64 = 3_600;

/// Accounts of the people who share the data.
#[derive(Args)]
pub(crate) struct Household {
    #[command(subcommand)]
    what: What,
    /// Directory of the data.
    #[arg(long, global = true)]
    data: Option<PathBuf>,
}

#[derive(Subcommand)]
enum What {
    /// Who has an account.
    List,
    /// Add somebody, and print a code with which they choose a password.
    Add {
        /// Their name.
        name: String,
        /// What they may do: guest, member or owner.
        #[arg(long, default_value = "member")]
        role: String,
    },
    /// Print a code with which somebody chooses a new password.
    Code {
        /// Their name.
        name: String,
    },
}

impl Household {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = self.data.clone().map_or_else(data_directory, Ok)?;
        let store = open(&directory)?;
        match &self.what {
            What::List => list(&store),
            What::Add { name, role } => {
                let role = Role::named(role)
                    .with_context(|| format!("the role is \"{role}\"; expected guest, member or owner"))?;
                let name = name.trim();
                if name.is_empty() || name.chars().count() > 60 {
                    bail!("the name has {} characters; expected 1 to 60", name.chars().count());
                }
                let id = store.add_person(name, role)?;
                print_code(&store, id, name)
            }
            What::Code { name } => {
                let found = store.person_named(name.trim())?;
                let (person, _) = found.with_context(|| format!("nobody here is called \"{name}\""))?;
                print_code(&store, person.id, &person.name)
            }
        }
    }
}

fn open(directory: &Path) -> anyhow::Result<Store> {
    if !directory.join(spare_hour_store::FILE).exists() {
        bail!("{} holds no data; start the server once, or name the directory with --data", directory.display());
    }
    Ok(Store::open(directory)?)
}

fn list(store: &Store) -> anyhow::Result<()> {
    for person in store.people()? {
        let password = if person.has_password { "" } else { ", no password yet" };
        crate::print(&format!("{}: {}{password}", person.name, person.role));
    }
    Ok(())
}

fn print_code(store: &Store, id: i32, name: &str) -> anyhow::Result<()> {
    let code = code_for(store, id)?;
    crate::print(&format!("{name} chooses a password at /welcome with this code, within an hour: {code}"));
    Ok(())
}

/// A new code for somebody.
fn code_for(store: &Store, id: i32) -> anyhow::Result<String> {
    let (code, until) = (new_token(), jiff::Timestamp::now().as_second() + CODE_HOLDS);
    store.set_code(id, &token_hash(&code), until)?;
    Ok(code)
}

/// The code with which the first owner comes in; `None` where somebody has a password already.
pub(crate) fn first_code(store: &Store) -> anyhow::Result<Option<String>> {
    let people = store.people()?;
    if people.iter().any(|person| person.has_password) {
        return Ok(None);
    }
    let owner = people.iter().find(|person| person.role == Role::Owner).map(|person| person.id);
    let id = match owner {
        Some(id) => id,
        None => store.add_person("Owner", Role::Owner)?,
    };
    Ok(Some(code_for(store, id)?))
}
