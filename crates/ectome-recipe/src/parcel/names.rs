//! Names by a pattern, safe on every file system, no two alike.
//!
//! A pattern is a text with fields in braces: `{asset}_{map}_{size}`. A brace that belongs to no field is a fault.

use std::collections::HashSet;

/// What a field of a pattern stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Field {
    /// The asset's name.
    Asset,
    /// The part's name.
    Part,
    /// The brief's mark of a tier and its number, such as `_LOD1`; nothing where a file holds all tiers.
    Tier,
    /// What a map or texture holds, such as `normal`.
    Map,
    /// Its width in texels.
    Size,
    /// The day, such as `2026-11-28`.
    Date,
}

impl Field {
    const ALL: [Self; 6] = [
        Self::Asset,
        Self::Part,
        Self::Tier,
        Self::Map,
        Self::Size,
        Self::Date,
    ];

    /// The word in braces.
    pub fn word(self) -> &'static str {
        match self {
            Self::Asset => "asset",
            Self::Part => "part",
            Self::Tier => "tier",
            Self::Map => "map",
            Self::Size => "size",
            Self::Date => "date",
        }
    }
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Text(String),
    Field(Field),
}

/// A pattern that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern {
    pieces: Vec<Piece>,
}

impl Pattern {
    /// Reads a pattern of some fields; a sentence where it cannot be read.
    ///
    /// # Errors
    /// What is wrong, as the end of a sentence.
    pub fn of(text: &str, fields: &[Field]) -> Result<Self, String> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some(at) = rest.find(['{', '}']) {
            if !rest[at..].starts_with('{') {
                return Err("a } stands before its {".to_owned());
            }
            let end = rest[at..].find('}').ok_or("a { has no }")? + at;
            let word = &rest[at + 1..end];
            let known = Field::ALL.into_iter().find(|f| f.word() == word);
            let field = known.filter(|f| fields.contains(f)).ok_or_else(|| {
                let list: Vec<String> =
                    fields.iter().map(|f| format!("{{{}}}", f.word())).collect();
                format!(
                    "{{{word}}} is no field of them; there are {}",
                    list.join(", ")
                )
            })?;
            if at > 0 {
                pieces.push(Piece::Text(rest[..at].to_owned()));
            }
            pieces.push(Piece::Field(field));
            rest = &rest[end + 1..];
        }
        if !rest.is_empty() {
            pieces.push(Piece::Text(rest.to_owned()));
        }
        let names = |p: &Piece| matches!(p, Piece::Field(Field::Asset | Field::Part | Field::Map));
        if !pieces.iter().any(names) {
            return Err("they name neither asset nor part nor map".to_owned());
        }
        Ok(Self { pieces })
    }

    /// The name it makes of what `value` says of each field.
    pub fn name(&self, value: impl Fn(Field) -> String) -> String {
        let texts = self.pieces.iter().map(|p| match p {
            Piece::Text(text) => text.clone(),
            Piece::Field(field) => value(*field),
        });
        texts.collect()
    }
}

/// A title as the stem of file names: small letters, digits, dashes and underscores.
pub fn stem(title: &str) -> String {
    let mut out = String::new();
    for c in title.chars() {
        if c.is_alphanumeric() || c == '-' || c == '_' {
            out.extend(c.to_lowercase());
        } else if !out.ends_with('_') && !out.is_empty() {
            out.push('_');
        }
    }
    match out.trim_end_matches('_') {
        "" => "asset".to_owned(),
        stem => stem.to_owned(),
    }
}

/// Letters of a file name at most, its ending aside: file systems take 255 bytes, and a letter may take four.
const LONGEST: usize = 60;

/// Names of devices on some systems, whatever their ending (common knowledge of file systems, no published source).
const DEVICES: [&str; 6] = ["con", "prn", "aux", "nul", "com", "lpt"];

/// A name that every file system takes, without its ending.
pub fn safe(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars().take(LONGEST) {
        let is_bad = c.is_control() || "<>:\"/\\|?*".contains(c);
        out.push(if is_bad { '_' } else { c });
    }
    let trimmed = out.trim().trim_matches('.').trim();
    let low = trimmed.to_lowercase();
    let stem = low.split('.').next().unwrap_or_default();
    let is_device = DEVICES.iter().any(|d| {
        let rest = stem.strip_prefix(d);
        rest.is_some_and(|r| match *d {
            "com" | "lpt" => r.len() == 1 && r.bytes().all(|b| b.is_ascii_digit()),
            _ => r.is_empty(),
        })
    });
    match (trimmed, is_device) {
        ("", _) => "unnamed".to_owned(),
        (name, true) => format!("_{name}"),
        (name, false) => name.to_owned(),
    }
}

/// Names that were given away. Some file systems do not tell capitals from small letters, so neither does this.
#[derive(Clone, Debug, Default)]
pub struct Taken {
    names: HashSet<String>,
}

impl Taken {
    /// The name, or the first of `name_2`, `name_3` … that is free; `end` stands behind it.
    pub fn free(&mut self, name: &str, end: &str) -> String {
        let mut n = 1;
        loop {
            let full = match n {
                1 => format!("{name}{end}"),
                n => format!("{name}_{n}{end}"),
            };
            if self.names.insert(full.to_lowercase()) {
                return full;
            }
            n += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const FILES: &[Field] = &[Field::Asset, Field::Tier, Field::Map];

    #[test]
    fn fields_are_filled_in_and_the_rest_stays() {
        let pattern = Pattern::of("sk_{asset}-{map}{tier}.v2", FILES).unwrap();
        let name = pattern.name(|f| f.word().to_uppercase());
        assert_eq!(name, "sk_ASSET-MAPTIER.v2");
    }

    #[rstest]
    #[case("{asset", "a { has no }")]
    #[case("asset}", "a } stands before its {")]
    #[case("{asset}{colour}", "{colour} is no field")]
    #[case("{asset}{date}", "{date} is no field")]
    #[case("prop", "they name neither")]
    #[case("", "they name neither")]
    fn what_is_no_pattern_says_why(#[case] text: &str, #[case] says: &str) {
        let fault = Pattern::of(text, FILES).unwrap_err();
        assert!(fault.starts_with(says), "{fault}");
    }

    #[rstest]
    #[case("../../etc/passwd", "_.._etc_passwd")]
    #[case("a<b>c|d", "a_b_c_d")]
    #[case("con", "_con")]
    #[case("Com1.obj", "_Com1.obj")]
    #[case("comet", "comet")]
    #[case(" . ", "unnamed")]
    #[case("täglich 3", "täglich 3")]
    fn every_file_system_takes_a_safe_name(#[case] name: &str, #[case] expected: &str) {
        assert_eq!(safe(name), expected);
    }

    #[test]
    fn long_names_end_and_equal_ones_are_numbered() {
        assert_eq!(safe(&"ß".repeat(900)).chars().count(), LONGEST);
        let mut taken = Taken::default();
        assert_eq!(taken.free("bolt", ".png"), "bolt.png");
        assert_eq!(taken.free("Bolt", ".png"), "Bolt_2.png");
        assert_eq!(taken.free("bolt", ".glb"), "bolt.glb");
        assert_eq!(taken.free("bolt", ".png"), "bolt_3.png");
    }
}
