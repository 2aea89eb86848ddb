//! The routes as the sources of this crate name them: a route that no test asks for is found by that.

use std::{fs, path::Path};

/// A method and the address it is for, with names for what stands in its place.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Route {
    pub method: &'static str,
    pub address: String,
}

/// All routes of the application.
pub fn all() -> Vec<Route> {
    let mut routes = Vec::new();
    collect(
        &Path::new(env!("CARGO_MANIFEST_DIR")).join("src"),
        &mut routes,
    );
    routes.sort();
    assert!(routes.len() > 70, "{} routes are found", routes.len());
    routes
}

fn collect(folder: &Path, routes: &mut Vec<Route>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            collect(&path, routes);
            continue;
        }
        let text = fs::read_to_string(&path).unwrap();
        for call in text.split(".route(").skip(1) {
            let address = call.split('"').nth(1).unwrap().to_owned();
            for (word, method) in [("get(", "GET"), ("post(", "POST")] {
                if arguments(call).contains(word) {
                    let address = address.clone();
                    routes.push(Route { method, address });
                }
            }
        }
    }
}

/// What stands before the bracket that ends a call.
fn arguments(call: &str) -> &str {
    let mut open = 1;
    let end = call.find(|c| {
        open += i32::from(c == '(') - i32::from(c == ')');
        open == 0
    });
    &call[..end.unwrap()]
}

impl Route {
    /// True when a path is one of this address.
    fn fits(&self, path: &str) -> bool {
        let mut parts = path.split('/');
        for own in self.address.split('/') {
            match parts.next() {
                Some(_) if own.starts_with("{*") => return true,
                Some(part) if own == part || own.starts_with('{') && !part.is_empty() => {}
                _ => return false,
            }
        }
        parts.next().is_none()
    }

    /// The route that a request goes to: of those that fit the one with the fewest names.
    pub fn of<'a>(routes: &'a [Self], method: &str, path: &str) -> Option<&'a Self> {
        let path = path.split('?').next()?;
        let fitting = routes.iter().filter(|r| r.method == method && r.fits(path));
        fitting.min_by_key(|r| r.address.matches('{').count())
    }

    /// The address with something in the place of each name.
    pub fn with(&self, what: impl Fn(&str) -> String) -> String {
        let part = |p: &str| match p.strip_prefix('{').and_then(|p| p.strip_suffix('}')) {
            Some(name) => what(name.trim_start_matches('*')),
            None => p.to_owned(),
        };
        let parts: Vec<String> = self.address.split('/').map(part).collect();
        parts.join("/")
    }
}
