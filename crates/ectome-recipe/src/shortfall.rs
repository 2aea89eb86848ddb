//! What stops a cut above its target, and what would release it, in words.

use std::fmt::Write;

use ectome_mesh::Mesh;
use ectome_reduce::Holding;

/// One reason why triangles stay.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HeldBy {
    /// The guard, or what else holds.
    pub by: String,
    /// Triangles it holds.
    pub triangles: u32,
    /// In which parts, most first.
    pub parts: Vec<(String, u32)>,
}

/// Parts that are named in a sentence.
const NAMED: usize = 3;

impl HeldBy {
    /// Groups what an analysis noted, most triangles first.
    pub fn list(held: &[Holding], mesh: &Mesh) -> Vec<Self> {
        let mut list: Vec<Self> = Vec::new();
        for h in held {
            let name = mesh.parts.get(h.part as usize).map_or("", |p| &p.name);
            let name = if name.is_empty() { "unnamed" } else { name };
            let part = (name.to_owned(), h.triangles);
            match list.iter_mut().find(|of| of.by == h.by) {
                Some(of) => {
                    of.triangles += h.triangles;
                    of.parts.push(part);
                }
                None => list.push(Self {
                    by: h.by.clone(),
                    triangles: h.triangles,
                    parts: vec![part],
                }),
            }
        }
        list.sort_by_key(|h| std::cmp::Reverse(h.triangles));
        for h in &mut list {
            h.parts.sort_by_key(|&(_, n)| std::cmp::Reverse(n));
        }
        list
    }

    /// What would let go, if anything the user can change would.
    fn release(&self) -> Option<String> {
        match self.by.as_str() {
            "the smallest count of parts" => {
                Some("lower the smallest count of these parts in the ledger".to_owned())
            }
            "parts that would vanish" => Some("let small parts vanish".to_owned()),
            "the protected region" => Some("paint a smaller region".to_owned()),
            "the way the surface hangs together" => None,
            guard => Some(format!("take the guard off {guard}")),
        }
    }
}

/// What holds, where, and what to do.
pub fn sentence(target: usize, reached: usize, held: &[HeldBy]) -> String {
    let mut text =
        format!("{target} triangles cannot be met: at {reached} nothing can go any more.");
    for h in held {
        let parts: Vec<String> = h
            .parts
            .iter()
            .take(NAMED)
            .map(|(name, n)| format!("{name} {n}"))
            .collect();
        let more = match h.parts.len().saturating_sub(NAMED) {
            0 => String::new(),
            n => format!(" and {n} parts more"),
        };
        let _ = write!(
            text,
            " {} are held by {} ({}{more}).",
            h.triangles,
            h.by,
            parts.join(", ")
        );
    }
    let mut ways: Vec<String> = held.iter().filter_map(HeldBy::release).collect();
    ways.push(format!("ask for at least {reached}"));
    let ways = ways.join(", or ");
    let mut letters = ways.chars();
    let first = letters.next().map(|c| c.to_uppercase().to_string());
    let _ = write!(text, " {}{}", first.unwrap_or_default(), letters.as_str());
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{Part, shapes};
    use glam::Affine3A;

    #[test]
    fn a_hold_names_guard_part_and_release() {
        let mut mesh = shapes::icosphere(1.0, 1);
        let part = |name: &str| Part::new(name, Affine3A::IDENTITY);
        mesh.parts = vec![part("bell"), part("yoke")];
        let holding = |by: &str, part, triangles| Holding {
            by: by.to_owned(),
            part,
            triangles,
        };
        let held = HeldBy::list(
            &[
                holding("UV seams", 0, 100),
                holding("the protected region", 1, 30),
                holding("UV seams", 1, 250),
            ],
            &mesh,
        );
        assert_eq!(
            sentence(200, 380, &held),
            "200 triangles cannot be met: at 380 nothing can go any more. 350 are held by UV seams (yoke 250, \
             bell 100). 30 are held by the protected region (yoke 30). Take the guard off UV seams, or paint a \
             smaller region, or ask for at least 380"
        );
    }

    #[test]
    fn what_nobody_can_change_offers_only_a_higher_target() {
        let mesh = shapes::icosphere(1.0, 1);
        let held = [Holding {
            by: "the way the surface hangs together".to_owned(),
            part: 0,
            triangles: 4,
        }];
        let text = sentence(3, 4, &HeldBy::list(&held, &mesh));
        assert!(text.ends_with("Ask for at least 4"), "{text}");
    }
}
