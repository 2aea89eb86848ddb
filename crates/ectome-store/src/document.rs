//! JSON in columns: whole, and no larger than a column and a packet can take.

use serde::{Serialize, de::DeserializeOwned};
use sqlx::{Row, mysql::MySqlRow};

use crate::StoreError;

/// The largest document, in bytes: several go into one statement, and a packet of the database holds 128 MB.
const MOST: usize = 32 << 20;

/// A value as a document.
///
/// # Errors
/// [`StoreError::TooLarge`] when it would not fit.
pub(crate) fn json(value: &impl Serialize, what: &'static str) -> Result<String, StoreError> {
    let text = serde_json::to_string(value).map_err(|e| StoreError::stored(what, e))?;
    if text.len() > MOST {
        Err(StoreError::TooLarge {
            what,
            bytes: text.len(),
            most: MOST,
        })
    } else {
        Ok(text)
    }
}

/// A column that may hold a document.
pub(crate) fn stored<T: DeserializeOwned>(
    row: &MySqlRow,
    column: &'static str,
) -> Result<Option<T>, StoreError> {
    let text: Option<String> = row.try_get(column)?;
    text.map(|t| serde_json::from_str(&t))
        .transpose()
        .map_err(|e| StoreError::stored(column, e))
}

/// Letters of a fault that are kept: a file can put names of any length into it.
const FAULT: usize = 2_000;

/// A sentence cut to what a page can show.
pub(crate) fn short(fault: &str) -> String {
    clipped(fault, FAULT)
}

/// The first letters of a text, with a mark where some are missing.
pub(crate) fn clipped(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        None => text.to_owned(),
        Some(_) => text.chars().take(most - 1).chain(['…']).collect(),
    }
}

/// Makes sure that something typed fits its column.
///
/// # Errors
/// [`StoreError::TooLong`].
pub(crate) fn fits(text: &str, what: &'static str, most: usize) -> Result<(), StoreError> {
    match text.chars().count() {
        found if found > most => Err(StoreError::TooLong { what, found, most }),
        _ => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_does_not_fit_is_a_sentence_and_faults_are_clipped() {
        assert!(json(&vec![0u8; 100], "list").is_ok());
        let error = json(&"x".repeat(MOST), "list").unwrap_err();
        assert!(matches!(error, StoreError::TooLarge { what: "list", .. }));
        assert!(fits("ä".repeat(200).as_str(), "a name", 200).is_ok());
        let error = fits("ä".repeat(201).as_str(), "A name", 200).unwrap_err();
        assert!(error.to_string().starts_with("A name has 201 letters"));
        assert_eq!(clipped("abc", 3), "abc");
        assert_eq!(clipped("abcd", 3), "ab…");
    }
}
