//! Lists of tables as people write them in TOML, such as the lines of a plan. Each entry is read on its own, so that a mistake is said with its
//! place; a name that nothing reads is a mistake too, since whoever wrote it meant something by it.

use serde::{Serialize, de::DeserializeOwned};
use thiserror::Error;
use toml::{Table, Value};

/// What is wrong with such a text, and where.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum ListError {
    /// It is no TOML.
    #[error("row {row} of the text: {fault}")]
    Syntax {
        /// Counted from one.
        row: usize,
        /// In the words of the reader.
        fault: String,
    },
    /// An entry lacks something, or has something that cannot be meant.
    #[error("{place}: {fault}")]
    Entry {
        /// The list and the place in it, counted from one.
        place: String,
        /// In the words of the reader.
        fault: String,
    },
    /// Nothing reads a name.
    #[error("{place}: nothing is called {name} here. There can be: {known}")]
    Unknown {
        /// The list and the place in it, counted from one; or the text as a whole.
        place: String,
        /// The name.
        name: String,
        /// The names that are read there.
        known: String,
    },
}

/// The text as a table.
///
/// # Errors
/// [`ListError::Syntax`].
pub fn table(text: &str) -> Result<Table, ListError> {
    toml::from_str(text).map_err(|e: toml::de::Error| ListError::Syntax {
        row: 1 + e.span().map_or(0, |at| {
            text.bytes().take(at.start).filter(|b| *b == b'\n').count()
        }),
        fault: e.message().to_owned(),
    })
}

/// Takes the list of this name out of a table; an empty one where it is absent.
///
/// # Errors
/// [`ListError::Entry`] and [`ListError::Unknown`].
pub fn take<T: Serialize + DeserializeOwned>(
    all: &mut Table,
    name: &str,
) -> Result<Vec<T>, ListError> {
    let given = match all.remove(name) {
        None => return Ok(Vec::new()),
        Some(Value::Array(list)) => list,
        Some(other) => {
            return Err(ListError::Entry {
                place: name.to_owned(),
                fault: format!("a list is meant, not {}", other.type_str()),
            });
        }
    };
    let entries = given.into_iter().enumerate();
    entries
        .map(|(at, value)| {
            let place = format!("{name} {}", at + 1);
            let said = |e: &dyn std::fmt::Display| ListError::Entry {
                place: place.clone(),
                // The reader names the field within the entry in a row of its own.
                fault: e.to_string().trim().replace('\n', " "),
            };
            let entry: T = value.clone().try_into().map_err(|e| said(&e))?;
            // What an entry writes down itself are the names that it reads.
            let own = Value::try_from(&entry).map_err(|e| said(&e))?;
            known(&place, &value, &own)?;
            Ok(entry)
        })
        .collect()
}

/// Refuses what is left in a table from which everything was taken that can be in it.
///
/// # Errors
/// [`ListError::Unknown`].
pub fn nothing_else(all: &Table, could: &[&str]) -> Result<(), ListError> {
    match all.keys().next() {
        None => Ok(()),
        Some(name) => Err(ListError::Unknown {
            place: "the text".to_owned(),
            name: name.clone(),
            known: could.join(", "),
        }),
    }
}

/// Every name of `given` is one of `own`, as deep as both go.
fn known(place: &str, given: &Value, own: &Value) -> Result<(), ListError> {
    match (given, own) {
        (Value::Table(given), Value::Table(own)) => {
            given
                .iter()
                .try_for_each(|(name, value)| match own.get(name) {
                    Some(own) => known(place, value, own),
                    None => Err(ListError::Unknown {
                        place: place.to_owned(),
                        name: name.clone(),
                        known: own
                            .keys()
                            .map(String::as_str)
                            .collect::<Vec<_>>()
                            .join(", "),
                    }),
                })
        }
        (Value::Array(given), Value::Array(own)) => {
            let pairs = given.iter().zip(own);
            pairs.into_iter().try_for_each(|(g, o)| known(place, g, o))
        }
        _ => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;
    use serde::Deserialize;

    use super::*;

    #[derive(Debug, PartialEq, Serialize, Deserialize)]
    struct Knot {
        turns: u32,
        #[serde(default)]
        end: Option<End>,
    }

    #[derive(Debug, PartialEq, Serialize, Deserialize)]
    struct End {
        #[serde(default)]
        whipped: bool,
    }

    fn read(text: &str) -> Result<Vec<Knot>, ListError> {
        let mut all = table(text)?;
        let knots = take(&mut all, "knot")?;
        nothing_else(&all, &["knot"])?;
        Ok(knots)
    }

    #[test]
    fn entries_are_read_in_order() {
        let text = "[[knot]]\nturns = 3\n[[knot]]\nturns = 4\nend = { whipped = true }\n";
        let end = End { whipped: true };
        let expected = [(3, None), (4, Some(end))].map(|(turns, end)| Knot { turns, end });
        assert_eq!(read(text).unwrap(), expected);
        assert_eq!(read("").unwrap(), []);
    }

    #[rstest]
    #[case("[[knot]]\nturns = 3\n[[knot\n", "row 3 of the text: ")]
    #[case("knot = 3", "knot: a list is meant, not integer")]
    #[case("[[knot]]\nturns = 3\n[[knot]]\n", "knot 2: missing field `turns`")]
    #[case("[[knot]]\nturns = \"many\"", "knot 1: invalid type")]
    #[case(
        "[[knot]]\nturns = 3\ntruns = 4",
        "knot 1: nothing is called truns here. There can be: turns"
    )]
    #[case(
        "[[knot]]\nturns = 3\nend = { wiped = true }",
        "knot 1: nothing is called wiped here. There can be: whipped"
    )]
    #[case(
        "[[knots]]\nturns = 3",
        "the text: nothing is called knots here. There can be: knot"
    )]
    fn mistakes_are_said_with_their_place(#[case] text: &str, #[case] says: &str) {
        let said = read(text).unwrap_err().to_string();
        assert!(said.starts_with(says), "{said}");
    }
}
