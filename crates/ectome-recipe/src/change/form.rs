//! What the form of a change holds, without saying how it is drawn, and what came back from it.

use ectome_intake::repair::clip::Plane;

use crate::{Space, sizes::Sizes};

/// What a source offers to the forms of changes.
pub struct Offer<'a> {
    /// The figures that repairs begin with.
    pub sizes: Sizes,
    /// The names of its materials, in order.
    pub materials: &'a [String],
    /// How many UV sets it has.
    pub uv_sets: usize,
    /// The unit and the axis that it is read with.
    pub space: Space,
    /// Why it is read so.
    pub space_because: &'a str,
}

/// The form of one kind of change.
#[derive(Clone, Debug, PartialEq)]
pub struct Form {
    /// What it is called.
    pub title: &'static str,
    /// What a person should know before.
    pub note: String,
    /// What is asked for, in order.
    pub fields: Vec<Field>,
    /// What its button says.
    pub button: &'static str,
    /// The word of another kind that takes the same fields, and what its button says.
    pub instead: Option<(&'static str, &'static str)>,
    /// What it would do can be tried first.
    pub can_preview: bool,
    /// It is offered to every source; otherwise only beside the finding that it repairs.
    pub stands_alone: bool,
}

impl Form {
    /// A form that is offered beside a finding and can be tried first.
    pub(super) fn of(title: &'static str, button: &'static str, fields: Vec<Field>) -> Self {
        Self {
            title,
            note: String::new(),
            fields,
            button,
            instead: None,
            can_preview: true,
            stands_alone: false,
        }
    }

    /// The same offered to every source.
    pub(super) fn alone(self) -> Self {
        Self {
            stands_alone: true,
            ..self
        }
    }

    /// The same with what should be known before.
    pub(super) fn noted(self, note: impl Into<String>) -> Self {
        Self {
            note: note.into(),
            ..self
        }
    }

    /// The same for a change that costs nothing, so that nobody has to try it.
    pub(super) fn at_once(self) -> Self {
        Self {
            can_preview: false,
            ..self
        }
    }
}

/// One thing that a form asks for.
#[derive(Clone, Debug, PartialEq)]
pub enum Field {
    /// A length, typed in millimetres.
    Length {
        /// Its name.
        name: &'static str,
        /// What stands before it.
        before: &'static str,
        /// It is the extent of something, from end to end.
        across: bool,
        /// What it begins with, in metres.
        start_m: f32,
    },
    /// A whole number.
    Count {
        /// Its name.
        name: &'static str,
        /// What stands before it.
        before: String,
        /// What it begins with.
        start: u32,
    },
    /// Three whole numbers in a row.
    Counts {
        /// What stands before them.
        before: &'static str,
        /// Name, which is also its label, and what it begins with.
        of: [(&'static str, u32); 3],
    },
    /// A box to tick.
    Tick {
        /// Its name.
        name: &'static str,
        /// What it says.
        says: &'static str,
        /// It begins ticked.
        on: bool,
    },
    /// One of several.
    OneOf {
        /// Its name.
        name: &'static str,
        /// What stands before them.
        before: &'static str,
        /// Value, what it says, and whether it is the one to begin with.
        of: Vec<(&'static str, &'static str, bool)>,
    },
    /// Any of several names.
    Several {
        /// Its name.
        name: &'static str,
        /// The names.
        of: Vec<String>,
    },
    /// A plane, `px py pz` and `nx ny nz`, which the stage shows and moves.
    Plane {
        /// A point on it, in metres.
        through: [f32; 3],
        /// The side it looks to.
        towards: [f32; 3],
    },
}

/// What came back from a form.
pub trait Sent {
    /// The first value of a field without blanks around it; empty where it is absent.
    fn text(&self, name: &str) -> &str;

    /// All values of a field, in order.
    fn all(&self, name: &str) -> Vec<&str>;

    /// A box is ticked.
    fn ticked(&self, name: &str) -> bool;
}

/// A number as a person types it, with either decimal mark and blanks between groups, between two bounds.
///
/// # Errors
/// A sentence that names what was meant to be typed.
pub fn number(text: &str, what: &str, low: f64, high: f64) -> Result<f64, String> {
    let plain: String = text
        .chars()
        .filter(|c| !c.is_whitespace())
        .map(|c| if c == ',' { '.' } else { c })
        .collect();
    let number = plain.parse::<f64>().ok();
    number
        .filter(|n| (low..=high).contains(n))
        .ok_or_else(|| format!("{what} is a number from {low} to {high}, not “{text}”."))
}

/// A length in metres, typed in millimetres.
pub(super) fn metres(sent: &dyn Sent, name: &str, what: &str) -> Result<f32, String> {
    Ok((number(sent.text(name), what, 0.0, 1e6)? / 1e3) as f32)
}

/// The plane of a form.
pub(super) fn plane(sent: &dyn Sent) -> Result<Plane, String> {
    let triple = |names: [&str; 3], what: &str| -> Result<[f32; 3], String> {
        let mut out = [0.0; 3];
        for (slot, name) in out.iter_mut().zip(names) {
            *slot = number(sent.text(name), what, -1e5, 1e5)? as f32;
        }
        Ok(out)
    };
    let normal = triple(["nx", "ny", "nz"], "A direction")?;
    if normal.iter().all(|v| v.abs() < 1e-6) {
        return Err(
            "The plane needs a direction: one of its three figures must not be 0.".to_owned(),
        );
    }
    Ok(Plane {
        point: triple(["px", "py", "pz"], "A place in metres")?,
        normal,
    })
}

/// The parts that are chosen; one field may list several, set apart by commas.
pub(super) fn parts(sent: &dyn Sent) -> Result<Vec<u32>, String> {
    let values = sent.all("part").into_iter().flat_map(|v| v.split(','));
    let mut list: Vec<u32> = values.filter_map(|v| v.trim().parse().ok()).collect();
    list.sort_unstable();
    list.dedup();
    if list.is_empty() {
        return Err("No part is chosen. Choose one in the ledger or on the stage.".to_owned());
    }
    Ok(list)
}

/// The most letters of a name that are kept.
const LONGEST: usize = 200;

/// The name that was typed for something.
pub(super) fn name(sent: &dyn Sent, what: &str) -> Result<String, String> {
    let name: String = sent.text("name").chars().take(LONGEST).collect();
    if name.is_empty() {
        Err(format!("{what} needs a name. Type one."))
    } else {
        Ok(name)
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    /// Fields as a test writes them.
    pub struct Typed(pub Vec<(&'static str, &'static str)>);

    impl Sent for Typed {
        fn text(&self, name: &str) -> &str {
            self.all(name).first().copied().unwrap_or_default()
        }

        fn all(&self, name: &str) -> Vec<&str> {
            let own = self.0.iter().filter(|(n, _)| *n == name);
            own.map(|(_, v)| v.trim()).collect()
        }

        fn ticked(&self, name: &str) -> bool {
            !self.all(name).is_empty()
        }
    }

    #[test]
    fn numbers_are_read_with_either_mark_and_bounded() {
        assert_eq!(number("12,5", "A size", 0.0, 100.0), Ok(12.5));
        assert_eq!(number("1 204", "A size", 0.0, 2e3), Ok(1204.0));
        for text in ["9e99", "", "many"] {
            let said = number(text, "A size", 0.0, 100.0).unwrap_err();
            assert!(said.contains("A size"), "{said}");
        }
    }

    #[test]
    fn parts_come_one_by_one_or_listed() {
        let sent = Typed(vec![("part", "3"), ("part", "1,2"), ("part", "x")]);
        assert_eq!(parts(&sent), Ok(vec![1, 2, 3]));
        assert!(parts(&Typed(Vec::new())).is_err());
    }
}
