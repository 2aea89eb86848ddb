//! The form of a change as its template shows it: figures as text.

use ectome_recipe::change::{Field, Form};

/// A form.
pub struct FormView {
    /// The word that asks for the change.
    pub word: &'static str,
    /// What it is called.
    pub title: &'static str,
    /// What should be known before; empty for nothing.
    pub note: String,
    /// What is asked for.
    pub fields: Vec<FieldView>,
    /// What its button says.
    pub button: &'static str,
    /// The word of another change that takes the same fields, and what its button says.
    pub instead: Option<(&'static str, &'static str)>,
    /// What it would do can be tried first.
    pub can_preview: bool,
    /// It holds a plane, which the stage shows.
    pub has_plane: bool,
    /// It is offered to every source.
    pub stands_alone: bool,
}

/// The name of a field and its value.
pub type Named = (&'static str, String);

/// One thing that is asked for.
pub enum FieldView {
    /// A number: its name, what stands before it, its value, what stands behind it.
    Number(&'static str, String, String, &'static str),
    /// Numbers in a row: what stands before them, then name and value of each.
    Numbers(&'static str, Vec<Named>),
    /// A box: its name, what it says, whether it is ticked.
    Tick(&'static str, &'static str, bool),
    /// One of several: name, what stands before, then value, label and whether it is chosen.
    OneOf(
        &'static str,
        &'static str,
        Vec<(&'static str, &'static str, bool)>,
    ),
    /// Any of several names.
    Several(&'static str, Vec<String>),
    /// A plane: names and values of a point and of a direction.
    Plane([Named; 3], [Named; 3]),
}

impl FormView {
    /// The form of the change that a word asks for.
    pub fn of(word: &'static str, form: Form) -> Self {
        Self {
            word,
            title: form.title,
            note: form.note,
            button: form.button,
            instead: form.instead,
            can_preview: form.can_preview,
            stands_alone: form.stands_alone,
            has_plane: form.fields.iter().any(|f| matches!(f, Field::Plane { .. })),
            fields: form.fields.into_iter().map(field).collect(),
        }
    }
}

fn field(field: Field) -> FieldView {
    match field {
        Field::Length {
            name,
            before,
            across,
            start_m,
        } => {
            let start = trimmed(f64::from(start_m) * 1e3);
            let unit = if across { "mm across" } else { "mm" };
            FieldView::Number(name, before.to_owned(), start, unit)
        }
        Field::Count {
            name,
            before,
            start,
        } => FieldView::Number(name, before, start.to_string(), ""),
        Field::Counts { before, of } => {
            let of = of.map(|(name, start)| (name, start.to_string()));
            FieldView::Numbers(before, of.into())
        }
        Field::Tick { name, says, on } => FieldView::Tick(name, says, on),
        Field::OneOf { name, before, of } => FieldView::OneOf(name, before, of),
        Field::Several { name, of } => FieldView::Several(name, of),
        Field::Plane { through, towards } => {
            let named = |names: [&'static str; 3], v: [f32; 3]| {
                std::array::from_fn(|k| (names[k], trimmed(f64::from(v[k]))))
            };
            FieldView::Plane(
                named(["px", "py", "pz"], through),
                named(["nx", "ny", "nz"], towards),
            )
        }
    }
}

/// A number for a field: three figures, no zeros behind the point.
fn trimmed(v: f64) -> String {
    let digits = (2 - v.abs().max(1e-9).log10().floor() as i32).clamp(0, 6) as usize;
    let text = format!("{v:.digits$}");
    let text = if text.contains('.') {
        text.trim_end_matches('0').trim_end_matches('.')
    } else {
        &text
    };
    if text == "-0" { "0" } else { text }.to_owned()
}

#[cfg(test)]
mod tests {
    use super::trimmed;

    #[test]
    fn figures_in_fields_are_short() {
        assert_eq!(trimmed(0.123456), "0.123");
        assert_eq!(trimmed(1500.0), "1500");
        assert_eq!(trimmed(0.5), "0.5");
        assert_eq!(trimmed(-12.34), "-12.3");
        assert_eq!(trimmed(0.0), "0");
        assert_eq!(trimmed(-1e-9), "0");
    }
}
