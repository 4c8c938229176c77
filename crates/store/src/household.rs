//! People with an account, the browsers that they are signed in with, and links that show one trip to whoever has them.

use std::fmt;

use diesel::prelude::*;
use diesel::result::DatabaseErrorKind::UniqueViolation;
use diesel::result::Error::DatabaseError;
use spare_hour_core::refused::{Fault, Refused};

use crate::schema::{people, sign_ins, trip_links};
use crate::{Result, Store, StoreError};

/// What a person may do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// Only look.
    Guest,
    /// Change all that the household shares, and what is their own.
    Member,
    /// Say who belongs to the household, and take in a whole backup, too.
    Owner,
}

impl Role {
    /// All of them, the least first.
    pub const ALL: [Self; 3] = [Self::Guest, Self::Member, Self::Owner];

    /// Its word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Guest => "guest",
            Self::Member => "member",
            Self::Owner => "owner",
        }
    }

    /// The role of a word.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|role| role.name() == word)
    }
}

impl fmt::Display for Role {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// Somebody with an account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Person {
    /// Their number.
    pub id: i32,
    /// Their name.
    pub name: String,
    /// What they may do.
    pub role: Role,
    /// How often they signed out everywhere: a browser that was signed in before is no more.
    pub epoch: i32,
    /// Whether they have chosen a password.
    pub has_password: bool,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = people)]
struct Row {
    id: i32,
    name: String,
    role: String,
    password: Option<String>,
    epoch: i32,
}

impl From<Row> for Person {
    fn from(row: Row) -> Self {
        // A word that is none may the least.
        let role = Role::named(&row.role).unwrap_or(Role::Guest);
        Self { id: row.id, name: row.name, role, epoch: row.epoch, has_password: row.password.is_some() }
    }
}

/// A link that shows a trip.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct TripLink {
    /// Its number.
    pub id: i32,
    /// When it was made: date and time in UTC.
    pub made_at: String,
}

impl Store {
    /// Everybody, in the order they came.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn people(&self) -> Result<Vec<Person>> {
        let rows = people::table.order(people::id).select(Row::as_select()).load(&mut *self.connection()?)?;
        Ok(rows.into_iter().map(Into::into).collect())
    }

    /// One person; `None` where there is none.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn person(&self, id: i32) -> Result<Option<Person>> {
        let row: Option<Row> =
            people::table.find(id).select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        Ok(row.map(Into::into))
    }

    /// Somebody of a name, in whatever case, and their password's hash.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn person_named(&self, name: &str) -> Result<Option<(Person, Option<String>)>> {
        let named = people::table.filter(people::name.eq(name)).select(Row::as_select());
        let row: Option<Row> = named.first(&mut *self.connection()?).optional()?;
        Ok(row.map(|row| {
            let password = row.password.clone();
            (row.into(), password)
        }))
    }

    /// Adds somebody without a password, and returns their number.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when the name is taken.
    pub fn add_person(&self, name: &str, role: Role) -> Result<i32> {
        let values = (people::name.eq(name), people::role.eq(role.name()));
        let added = diesel::insert_into(people::table).values(values).returning(people::id);
        added.get_result(&mut *self.connection()?).map_err(|error| name_taken(error, name))
    }

    /// Gives somebody another name.
    ///
    /// # Errors
    /// [`StoreError::Refused`] when it is taken.
    pub fn rename_person(&self, id: i32, name: &str) -> Result<()> {
        let renamed = diesel::update(people::table.find(id)).set(people::name.eq(name));
        renamed.execute(&mut *self.connection()?).map_err(|error| name_taken(error, name))?;
        Ok(())
    }

    /// Lets somebody do more or less.
    ///
    /// # Errors
    /// [`StoreError::Needed`] when nobody would be owner.
    pub fn set_role(&self, id: i32, role: Role) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            diesel::update(people::table.find(id)).set(people::role.eq(role.name())).execute(connection)?;
            one_owner_stays(connection, id)
        })
    }

    /// Removes somebody; what was theirs alone is the household's then.
    ///
    /// # Errors
    /// [`StoreError::Needed`] when nobody would be owner.
    pub fn remove_person(&self, id: i32) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            diesel::delete(people::table.find(id)).execute(connection)?;
            one_owner_stays(connection, id)
        })
    }

    /// Keeps the hash of a code with which somebody may choose a password, until a second since 1970.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn set_code(&self, id: i32, code_hash: &str, until: i64) -> Result<()> {
        let code = (people::code_hash.eq(Some(code_hash)), people::code_until.eq(Some(until)));
        diesel::update(people::table.find(id)).set(code).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Whose code it is, while it holds.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn person_of_code(&self, code_hash: &str, now: i64) -> Result<Option<Person>> {
        let held = people::table.filter(people::code_hash.eq(code_hash).and(people::code_until.gt(now)));
        let row: Option<Row> = held.select(Row::as_select()).first(&mut *self.connection()?).optional()?;
        Ok(row.map(Into::into))
    }

    /// Keeps the hash of a password. The code is used up, and whoever was signed in as them is no more.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn set_password(&self, id: i32, hash: &str) -> Result<()> {
        let none: (Option<String>, Option<i64>) = (None, None);
        let change = (
            people::password.eq(Some(hash)),
            people::code_hash.eq(none.0),
            people::code_until.eq(none.1),
            people::epoch.eq(people::epoch + 1),
        );
        diesel::update(people::table.find(id)).set(change).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Signs somebody out of every browser.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn sign_out_everywhere(&self, id: i32) -> Result<()> {
        let raised = diesel::update(people::table.find(id)).set(people::epoch.eq(people::epoch + 1));
        raised.execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Keeps what is known of a signed-in browser, until a second since 1970; those whose time is over go.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn keep_sign_in(&self, id: &str, data: &str, until: i64, now: i64) -> Result<()> {
        self.connection()?.all_or_nothing(|connection| {
            let row = (sign_ins::id.eq(id), sign_ins::data.eq(data), sign_ins::until.eq(until));
            diesel::replace_into(sign_ins::table).values(row).execute(connection)?;
            diesel::delete(sign_ins::table.filter(sign_ins::until.le(now))).execute(connection)?;
            Ok(())
        })
    }

    /// What is known of a signed-in browser: its data, and until when it is.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn sign_in(&self, id: &str, now: i64) -> Result<Option<(String, i64)>> {
        let held = sign_ins::table.filter(sign_ins::id.eq(id).and(sign_ins::until.gt(now)));
        Ok(held.select((sign_ins::data, sign_ins::until)).first(&mut *self.connection()?).optional()?)
    }

    /// Forgets a signed-in browser.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn forget_sign_in(&self, id: &str) -> Result<()> {
        diesel::delete(sign_ins::table.find(id)).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// Keeps the hash of a link that shows a trip.
    ///
    /// # Errors
    /// When there is no such trip.
    pub fn add_trip_link(&self, trip: i32, token_hash: &str) -> Result<()> {
        let row = (trip_links::trip_id.eq(trip), trip_links::token_hash.eq(token_hash));
        diesel::insert_into(trip_links::table).values(row).execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// The links that show a trip, the newest first.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn trip_links(&self, trip: i32) -> Result<Vec<TripLink>> {
        let of_trip = trip_links::table.filter(trip_links::trip_id.eq(trip)).order(trip_links::id.desc());
        Ok(of_trip.select((trip_links::id, trip_links::made_at)).load(&mut *self.connection()?)?)
    }

    /// Takes a link of a trip back.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when it has none of that number.
    pub fn remove_trip_link(&self, trip: i32, link: i32) -> Result<()> {
        let found = trip_links::table.filter(trip_links::trip_id.eq(trip).and(trip_links::id.eq(link)));
        match diesel::delete(found).execute(&mut *self.connection()?)? {
            0 => Err(StoreError::NotFound { what: "link", id: link }),
            _ => Ok(()),
        }
    }

    /// The trip that a link shows.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn trip_of_link(&self, token_hash: &str) -> Result<Option<i32>> {
        let found = trip_links::table.filter(trip_links::token_hash.eq(token_hash)).select(trip_links::trip_id);
        Ok(found.first(&mut *self.connection()?).optional()?)
    }
}

fn name_taken(error: diesel::result::Error, name: &str) -> StoreError {
    match error {
        DatabaseError(UniqueViolation, _) => {
            let fault = Fault::Unreadable { value: name.into(), expected: "a name that nobody here has" };
            Refused::new("name", fault).into()
        }
        other => other.into(),
    }
}

/// Refuses to go on without an owner.
fn one_owner_stays(connection: &mut SqliteConnection, id: i32) -> Result<()> {
    let owners = people::table.filter(people::role.eq(Role::Owner.name())).count().get_result::<i64>(connection)?;
    if owners > 0 {
        return Ok(());
    }
    Err(StoreError::Needed { what: "person", id, by: "a household has at least one owner".into() })
}
