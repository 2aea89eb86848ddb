//! What forms of the UVs step send: places and lists that its scripts write as JSON.

use serde::de::DeserializeOwned;

use crate::{change::Sent, uv::packing::Spot};

/// The most places or marks one form may name.
const MOST: usize = 2000;

/// A list that a script wrote as JSON; empty when the field is.
///
/// # Errors
/// A sentence when it is no such list, or too long for one form.
pub fn list<T: DeserializeOwned>(
    sent: &dyn Sent,
    name: &str,
    what: &str,
) -> Result<Vec<T>, String> {
    let text = sent.text(name);
    if text.is_empty() {
        return Ok(Vec::new());
    }
    let list: Vec<T> = serde_json::from_str(text)
        .map_err(|_| format!("{what} could not be read. Reload the page and choose again."))?;
    if list.len() > MOST {
        return Err(format!(
            "{what} are more than {MOST}. Choose fewer at once."
        ));
    }
    Ok(list)
}

/// The islands that are chosen, at least one.
pub(super) fn chosen(sent: &dyn Sent, what: &str) -> Result<Vec<Spot>, String> {
    let chosen: Vec<Spot> = list(sent, "chosen", "The chosen islands")?;
    if chosen.is_empty() {
        return Err(format!(
            "Choose {what} first: click it on the sheet or on the stage."
        ));
    }
    Ok(chosen)
}

/// The parts that are chosen, by number; none is fine.
pub(super) fn parts(sent: &dyn Sent) -> Vec<u32> {
    let values = sent.all("part").into_iter().flat_map(|v| v.split(','));
    values.filter_map(|v| v.trim().parse().ok()).collect()
}
