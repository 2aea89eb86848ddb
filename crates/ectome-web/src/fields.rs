//! Fields of a form, repeated names and all.

use axum::{
    body::Bytes,
    extract::{FromRequest, Request},
};

use ectome_recipe::change::{self, Sent};

use crate::failure::Failure;

/// The fields of a form in order.
pub struct Fields(Vec<(String, String)>);

impl Fields {
    /// The first value of a field, without blanks around it; empty when it is absent.
    pub fn text(&self, name: &str) -> &str {
        self.0
            .iter()
            .find(|(n, _)| n == name)
            .map_or("", |(_, v)| v.trim())
    }

    /// All values of a field, in order, empty ones too.
    pub fn all(&self, name: &str) -> Vec<&str> {
        let own = self.0.iter().filter(|(n, _)| n == name);
        own.map(|(_, v)| v.trim()).collect()
    }

    /// Fields as a test writes them.
    #[cfg(test)]
    pub fn of(list: &[(&str, &str)]) -> Self {
        let own = |(a, b): &(&str, &str)| ((*a).to_owned(), (*b).to_owned());
        Self(list.iter().map(own).collect())
    }

    /// True when a box is ticked.
    pub fn ticked(&self, name: &str) -> bool {
        self.0.iter().any(|(n, _)| n == name)
    }

    /// All values of a field; a value may itself list several, set apart by commas.
    pub fn numbers(&self, name: &str) -> Vec<u32> {
        let values = self.0.iter().filter(|(n, _)| n == name);
        let mut list: Vec<u32> = values
            .flat_map(|(_, v)| v.split(','))
            .filter_map(|v| v.trim().parse().ok())
            .collect();
        list.sort_unstable();
        list.dedup();
        list
    }

    /// All rows that a field names, once each.
    pub fn numbers_of(&self, name: &str) -> Vec<u64> {
        let mut list: Vec<u64> = self
            .all(name)
            .iter()
            .filter_map(|v| v.parse().ok())
            .collect();
        list.sort_unstable();
        list.dedup();
        list
    }

    /// A number between two bounds.
    ///
    /// # Errors
    /// A sentence that names what was meant to be typed.
    pub fn number(&self, name: &str, what: &str, low: f64, high: f64) -> Result<f64, Failure> {
        number(self.text(name), what, low, high)
    }
}

/// A number as a person types it, with either decimal mark and blanks between groups, between two bounds.
///
/// # Errors
/// A sentence that names what was meant to be typed.
pub fn number(text: &str, what: &str, low: f64, high: f64) -> Result<f64, Failure> {
    change::number(text, what, low, high).map_err(Failure::bad)
}

impl Sent for Fields {
    fn text(&self, name: &str) -> &str {
        Fields::text(self, name)
    }

    fn all(&self, name: &str) -> Vec<&str> {
        Fields::all(self, name)
    }

    fn ticked(&self, name: &str) -> bool {
        Fields::ticked(self, name)
    }
}

impl<S: Send + Sync> FromRequest<S> for Fields {
    type Rejection = Failure;

    async fn from_request(request: Request, state: &S) -> Result<Self, Failure> {
        let body = Bytes::from_request(request, state).await.map_err(|e| {
            Failure::bad(format!("The form could not be read ({e}). Send it again."))
        })?;
        Ok(Self(
            url::form_urlencoded::parse(&body).into_owned().collect(),
        ))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_come_one_by_one_or_listed() {
        let f = Fields::of(&[("part", "3"), ("part", "1,2"), ("part", "x")]);
        assert_eq!(f.numbers("part"), [1, 2, 3]);
    }
}
