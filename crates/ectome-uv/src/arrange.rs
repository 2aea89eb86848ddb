//! Packing a layout: which islands go together, what stays, how large each shall be.

use ectome_mesh::Progress;

use crate::{
    gap::outline,
    layout::{Layout, Placement},
    measure::Island,
    pack::{self, Item, PackError, Packed, Settings},
};

/// What is to become of each island.
#[derive(Clone, Debug, Default)]
pub struct Wishes {
    /// How much larger or smaller each island becomes against the others, by island; empty for as it is.
    pub sizes: Vec<f64>,
    /// Islands that stay where they are.
    pub locked: Vec<bool>,
    /// Islands that lie exactly on each other stay together.
    pub keep_stacks: bool,
    /// Islands of one part keep together.
    pub by_part: bool,
    /// Widths of the sheet per unit of the layout after `sizes`; the largest that fits when absent.
    pub scale: Option<f64>,
}

/// Packs the islands of a layout; one sheet lies to the right of the other.
///
/// # Errors
/// [`PackError`] when they do not fit.
pub fn pack(
    layout: &Layout,
    islands: &[Island],
    wishes: &Wishes,
    settings: &Settings,
    progress: &Progress,
) -> Result<Layout, PackError> {
    let n = islands.len();
    let size = |i: usize| wishes.sizes.get(i).copied().unwrap_or(1.0);
    let locked = |i: usize| wishes.locked.get(i).copied().unwrap_or(false);
    // The island whose place each takes.
    let leader = |i: usize| {
        if wishes.keep_stacks {
            islands[i].stack as usize
        } else {
            i
        }
    };
    let free: Vec<usize> = (0..n).filter(|&i| leader(i) == i && !locked(i)).collect();
    let sized = |i: usize| Placement::turned(0.0, size(i));
    let item = |i: usize| -> Item {
        let s = size(i);
        Item {
            triangles: islands[i]
                .faces
                .iter()
                .map(|&f| layout.uv[f as usize].map(|p| p * s))
                .collect(),
            outline: outline(layout, &islands[i].faces)
                .into_iter()
                .map(|a| a.map(|p| p * s))
                .collect(),
        }
    };
    let taken: Vec<_> = (0..n)
        .filter(|&i| locked(i))
        .flat_map(|i| &islands[i].faces)
        .map(|&f| layout.uv[f as usize])
        .collect();
    let items: Vec<Item> = free.iter().map(|&i| item(i)).collect();
    let packed = if wishes.by_part {
        let parts: Vec<u32> = free.iter().map(|&i| islands[i].part).collect();
        by_part(&items, &parts, &taken, wishes.scale, settings, progress)?
    } else {
        pack::pack(&items, &taken, wishes.scale, settings, progress)?
    };
    let mut placements = vec![Placement::STILL; n];
    for (k, &i) in free.iter().enumerate() {
        let p = packed.placements[k].moved(glam::DVec2::new(f64::from(packed.sheets[k]), 0.0));
        placements[i] = after(&sized(i), &p);
    }
    for i in (0..n).filter(|&i| leader(i) != i && !locked(i)) {
        placements[i] = placements[leader(i)];
    }
    let mut out = layout.clone();
    out.place(&placements);
    out.sheets = settings.sheets;
    Ok(out)
}

/// First `a`, then `b`.
fn after(a: &Placement, b: &Placement) -> Placement {
    let turn = |p: glam::DVec2| b.x * p.x + b.y * p.y;
    Placement {
        x: turn(a.x),
        y: turn(a.y),
        shift: b.of(a.shift),
    }
}

/// Packs the islands of each part by themselves, then those bundles.
fn by_part(
    items: &[Item],
    parts: &[u32],
    taken: &[[glam::DVec2; 3]],
    scale: Option<f64>,
    settings: &Settings,
    progress: &Progress,
) -> Result<Packed, PackError> {
    // How large islands will be is not known before: the padding inside a bundle is that of a first packing.
    let first = pack::pack(items, taken, scale, settings, &progress.span(0.0, 0.5))?;
    let mut order: Vec<u32> = parts.to_vec();
    order.sort_unstable();
    order.dedup();
    let mut bundles = Vec::new();
    for part in order {
        let members: Vec<usize> = (0..items.len()).filter(|&k| parts[k] == part).collect();
        let own: Vec<Item> = members.iter().map(|&k| items[k].clone()).collect();
        let area: f64 = own
            .iter()
            .flat_map(|i| &i.triangles)
            .map(|&t| 0.5 * crate::layout::twice_area(t).abs())
            .sum();
        // A square of about twice the area, in texels at the first size, less what the whole must shrink for it.
        let texels = first.scale * f64::from(settings.size);
        let inner = bundle(&own, area, texels * 0.8, settings, progress)?;
        bundles.push((members, inner));
    }
    let joined: Vec<Item> = bundles
        .iter()
        .map(|(members, inner)| {
            let mut whole = Item::default();
            for (&k, p) in members.iter().zip(inner) {
                whole
                    .triangles
                    .extend(items[k].triangles.iter().map(|t| t.map(|q| p.of(q))));
                whole
                    .outline
                    .extend(items[k].outline.iter().map(|t| t.map(|q| p.of(q))));
            }
            whole
        })
        .collect();
    let packed = pack::pack(&joined, taken, scale, settings, &progress.span(0.6, 1.0))?;
    let mut out = Packed {
        placements: vec![Placement::STILL; items.len()],
        sheets: vec![0; items.len()],
        scale: packed.scale,
    };
    for (b, (members, inner)) in bundles.iter().enumerate() {
        for (&k, p) in members.iter().zip(inner) {
            out.placements[k] = after(p, &packed.placements[b]);
            out.sheets[k] = packed.sheets[b];
        }
    }
    Ok(out)
}

/// Islands close together in a square of their own, in their unit, with the padding they will need when a unit has `texels`
/// texels.
fn bundle(
    items: &[Item],
    area: f64,
    texels: f64,
    settings: &Settings,
    progress: &Progress,
) -> Result<Vec<Placement>, PackError> {
    let longest = items
        .iter()
        .flat_map(|i| i.triangles.iter().flatten())
        .fold(
            (glam::DVec2::INFINITY, glam::DVec2::NEG_INFINITY),
            |(l, h), &p| (l.min(p), h.max(p)),
        );
    let mut side = (1.3 * area.sqrt() * texels).max(16.0);
    let most = (longest.1 - longest.0).length() * texels * items.len() as f64 + 64.0;
    loop {
        let own = Settings {
            size: side.ceil() as u32,
            border: 0.0,
            sheets: 1,
            effort: 0,
            ..*settings
        };
        match pack::pack(items, &[], Some(texels / side.ceil()), &own, progress) {
            Ok(p) => {
                let back = side.ceil() / texels;
                let sized = |p: &Placement| Placement {
                    x: p.x * back,
                    y: p.y * back,
                    shift: p.shift * back,
                };
                return Ok(p.placements.iter().map(sized).collect());
            }
            Err(e) if side > most || matches!(e, PackError::Cancelled(_)) => return Err(e),
            Err(_) => side *= 1.12,
        }
    }
}
