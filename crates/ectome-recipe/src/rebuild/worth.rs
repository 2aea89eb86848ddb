//! Whether a source is worth rebuilding.

use crate::{Inspection, figures::grouped};

/// Whether a source is worth rebuilding, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Worth {
    /// It is.
    pub is_worth_it: bool,
    /// Why, in a sentence.
    pub why: String,
}

/// So large a share of hidden triangles is worth a new skin.
const HIDDEN: f64 = 0.05;

/// So many objects are an assembly, in which each is small beside the whole: a skin loses what is thinner than its cells. The signal station
/// of 142 objects came out 43 pixels off its outline and 6.6 % off its shading by a skin, 23 and 1.0 by a cut.
const ASSEMBLY: usize = 64;
/// The share of hidden triangles from which on an assembly is worth a skin nevertheless.
const HIDDEN_OF_ASSEMBLY: f64 = 0.25;

/// Where so much of the surface is sheets, in percent, they are what it is made of: foliage, terrain, a tent.
const SHEETS: f64 = 25.0;

/// Whether rebuilding is worth it: where a cut would keep holes, or what nobody sees. A clean closed assembly is cut better.
pub fn worth(i: &Inspection) -> Worth {
    let hidden = i.hidden_triangles.unwrap_or(0) as f64 / i.triangles.max(1) as f64;
    if i.objects.len() >= ASSEMBLY && hidden < HIDDEN_OF_ASSEMBLY {
        return Worth {
            is_worth_it: false,
            why: format!(
                "The source is an assembly of {} objects: a skin would lose what is thinner than its cells, a cut keeps it.",
                grouped(i.objects.len())
            ),
        };
    }
    if i.sheets_percent >= SHEETS && hidden < HIDDEN_OF_ASSEMBLY {
        return Worth {
            is_worth_it: false,
            why: format!(
                "{:.0} % of the source is sheets that enclose nothing, as leaves, cloth or terrain: a skin would make films of them, a cut keeps them.",
                i.sheets_percent
            ),
        };
    }
    let mut why = Vec::new();
    // Where a sheet ends is no opening.
    let openings = i.open_loops.saturating_sub(i.sheet_loops);
    if openings > 0 {
        let n = grouped(openings);
        why.push(match openings {
            1 => "1 opening".to_owned(),
            _ => format!("{n} openings"),
        });
    }
    if hidden >= HIDDEN {
        why.push(format!(
            "{:.0} % of its triangles inside others",
            100.0 * hidden
        ));
    }
    // By themselves they are held by a cut and do no harm.
    if i.nonmanifold_edges > 0 && !why.is_empty() {
        why.push(match i.nonmanifold_edges {
            1 => "1 edge with more than two faces".to_owned(),
            n => format!("{} edges with more than two faces", grouped(n)),
        });
    }
    if why.is_empty() {
        Worth {
            is_worth_it: false,
            why: "The source is closed and hardly anything of it is hidden: a cut keeps its edges, UVs and parts, and is the better way."
                .to_owned(),
        }
    } else {
        Worth {
            is_worth_it: true,
            why: format!(
                "The source has {}: a cut keeps them, a new skin does not. Its UVs and textures are baked anew.",
                listed(&why)
            ),
        }
    }
}

fn listed(list: &[String]) -> String {
    match list.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} and {last}", rest.join(", ")),
        None => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn holes_and_hidden_faces_are_worth_a_skin_and_nothing_else() {
        let mut i = Inspection {
            triangles: 1000,
            nonmanifold_edges: 3,
            hidden_triangles: Some(40),
            ..Inspection::default()
        };
        assert!(!worth(&i).is_worth_it);
        i.hidden_triangles = Some(60);
        let found = worth(&i);
        assert!(found.is_worth_it);
        assert!(
            found
                .why
                .contains("6 % of its triangles inside others and 3 edges"),
            "{}",
            found.why
        );
        // Of an assembly a skin would lose more than it mends.
        let pin = r#"{"name":"pin","triangles":10,"materials":[],"fate":"build","group":""}"#;
        i.objects = vec![serde_json::from_str(pin).unwrap(); 100];
        i.open_loops = 200;
        assert!(!worth(&i).is_worth_it && worth(&i).why.contains("100 objects"));
        i.hidden_triangles = Some(300);
        assert!(worth(&i).is_worth_it);
        i.objects.clear();
        i.hidden_triangles = None;
        i.open_loops = 1;
        assert!(worth(&i).why.contains("1 opening and 3 edges"));
        // The ends of sheets are no openings, and what is mostly sheets would be spoilt.
        (i.open_loops, i.sheet_loops, i.sheets_percent) = (4, 4, 10.0);
        assert!(!worth(&i).is_worth_it);
        i.open_loops = 6;
        assert!(worth(&i).why.contains("2 openings"));
        i.sheets_percent = 60.0;
        assert!(!worth(&i).is_worth_it && worth(&i).why.contains("60 % of the source is sheets"));
        i.hidden_triangles = Some(300);
        assert!(worth(&i).is_worth_it);
    }
}
