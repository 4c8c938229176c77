//! How the columns of other people's tables were matched, remembered by the columns' names.

use diesel::prelude::*;

use crate::connection::Store;
use crate::schema::column_matchings;
use crate::{Result, StoreError};

/// A matching that is remembered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredMatching {
    /// For each column the name of its target, or nothing.
    pub targets: Vec<Option<String>>,
    /// In what its times are: a word.
    pub time_unit: String,
}

impl Store {
    /// Remembers a matching for tables with these names of columns.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn remember_matching(&self, signature: &str, matching: &StoredMatching) -> Result<()> {
        let targets = serde_json::to_string(&matching.targets).map_err(|error| damaged(&error))?;
        diesel::replace_into(column_matchings::table)
            .values((
                column_matchings::signature.eq(signature),
                column_matchings::targets.eq(targets),
                column_matchings::time_unit.eq(&matching.time_unit),
            ))
            .execute(&mut *self.connection()?)?;
        Ok(())
    }

    /// The matching remembered for tables with these names of columns.
    ///
    /// # Errors
    /// When the database refuses.
    pub fn matching(&self, signature: &str) -> Result<Option<StoredMatching>> {
        let row =
            column_matchings::table.find(signature).select((column_matchings::targets, column_matchings::time_unit));
        let row: Option<(String, String)> = row.first(&mut *self.connection()?).optional()?;
        let read = |(targets, time_unit): (String, String)| {
            let targets = serde_json::from_str(&targets).map_err(|error| damaged(&error))?;
            Ok(StoredMatching { targets, time_unit })
        };
        row.map(read).transpose()
    }
}

fn damaged(problem: &serde_json::Error) -> StoreError {
    StoreError::Damaged { what: "matching", problem: problem.to_string() }
}
