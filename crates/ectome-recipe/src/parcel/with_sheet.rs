//! A parcel with its sheet: as JSON for programs, as a page for people.

use super::{
    Parcel,
    files::File,
    sheet::{About, SHEET, Sheet},
    sheet_page,
};
use crate::Brief;

impl Parcel {
    /// Adds the sheet, as `sheet.json` and `sheet.html`.
    pub fn with_sheet(mut self, brief: &Brief, date: &str, about: &About) -> (Self, Sheet) {
        let sheet = Sheet::of(&self, brief, date, about);
        let json = serde_json::to_vec_pretty(&sheet).unwrap_or_default();
        let html = sheet_page::html(&sheet, &about.pictures).into_bytes();
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
