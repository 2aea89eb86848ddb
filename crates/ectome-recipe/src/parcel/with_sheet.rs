//! A parcel with its sheet: as JSON for programs, as a page for people.

use super::{
    Parcel,
    files::File,
    sheet::{About, SHEET, Sheet},
    sheet_page,
};
use crate::{Artefact, Brief};

impl Parcel {
    /// Adds the sheet, as `sheet.json` and `sheet.html`.
    pub fn with_sheet(mut self, brief: &Brief, date: &str, about: &About) -> (Self, Sheet) {
        let sheet = Sheet::of(&self, brief, date, about);
        let json = serde_json::to_vec_pretty(&sheet).unwrap_or_default();
        let pictures: Vec<Vec<Artefact>> = (about.pictures.iter().enumerate())
            .map(|(n, given)| {
                let own = self.seen.get(n).filter(|s| !s.artefacts.is_empty());
                let kept = |a: &&Artefact| own.is_none() || a.kind != Artefact::LOOK;
                let of_file = own.map(|s| &s.artefacts[..]).unwrap_or_default();
                given.iter().filter(kept).chain(of_file).cloned().collect()
            })
            .collect();
        let html = sheet_page::html(&sheet, &pictures).into_bytes();
        for (name, bytes) in [("sheet.json", json), ("sheet.html", html)] {
            self.files.push(File {
                name: name.to_owned(),
                of: SHEET.to_owned(),
                bytes,
            });
        }
        (self, sheet)
    }
}
