//! Files that came together.

/// Files that came together, by name.
pub struct FileSet<'a> {
    pub(crate) files: Vec<(&'a str, &'a [u8])>,
    /// The folder that references start from.
    folder: &'a str,
}

impl<'a> FileSet<'a> {
    /// A set of named files.
    pub fn new(files: impl IntoIterator<Item = (&'a str, &'a [u8])>) -> Self {
        Self {
            files: files.into_iter().collect(),
            folder: "",
        }
    }

    /// The same files, with references starting from the folder of `name`.
    pub(crate) fn beside(&self, name: &'a str) -> Self {
        Self {
            files: self.files.clone(),
            folder: &name[..name.len() - base_of(name).len()],
        }
    }

    /// The bytes of the file that `reference` names, case aside. Where several have the name, the one whose
    /// folders agree with the reference furthest.
    pub fn find(&self, reference: &str) -> Option<&'a [u8]> {
        let wanted = base_name(reference);
        let agree = |name: &str| {
            let ends = |path: &str| -> Vec<String> {
                path.rsplit(['/', '\\']).map(str::to_lowercase).collect()
            };
            let (a, b) = (ends(name), ends(&format!("{}{reference}", self.folder)));
            a.iter().zip(&b).take_while(|(x, y)| x == y).count()
        };
        self.files
            .iter()
            .filter(|(name, _)| base_name(name).eq_ignore_ascii_case(wanted))
            .rev()
            .max_by_key(|(name, _)| agree(name))
            .map(|&(_, bytes)| bytes)
    }

    /// The first file with the extension.
    pub fn with_extension(&self, extension: &str) -> Option<(&'a str, &'a [u8])> {
        self.files
            .iter()
            .copied()
            .find(|(name, _)| extension_of(name).eq_ignore_ascii_case(extension))
    }
}

pub(crate) fn base_of(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path)
}

/// The name without directories, whichever way the slashes lean.
pub fn base_name(path: &str) -> &str {
    base_of(path).trim()
}

/// The extension of a name, or an empty one.
pub fn extension_of(name: &str) -> &str {
    base_name(name).rsplit_once('.').map_or("", |(_, e)| e)
}
