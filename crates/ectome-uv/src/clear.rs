//! Where islands that a person put down keep clear of all others.
//!
//! What lies on the sheet already is drawn as a picture of one bit a cell and grown by the padding; the islands that were moved are
//! drawn at the place they were put. Shifts by whole cells are tried from the shortest to longer ones, and the first at which the
//! two pictures share no cell is taken: islands that were put too near are pushed off by exactly what is missing.

use glam::{DVec2, IVec2};

use crate::{
    island::Island,
    layout::Layout,
    pack::{Settings, mask::Mask},
};

/// Cells along a side of the sheet at most: half a texel of a sheet of 2048 is far below what a hand can aim at.
const CELLS: u32 = 1024;

/// How far islands are pushed at most, as a share of the sheet. What was put right onto others is left there: a place far away is
/// not what was meant.
const REACH: f64 = 1.0 / 16.0;

/// The shortest shift, in widths of the sheet, after which the islands `moved` keep the padding from all others and the border from
/// the edge of their sheet; `None` where none is within reach. Stacked islands count as one.
pub fn shift(
    layout: &Layout,
    islands: &[Island],
    moved: &[u32],
    settings: &Settings,
) -> Option<DVec2> {
    let first = &islands[*moved.first()? as usize];
    let (low, high) = moved
        .iter()
        .map(|&i| &islands[i as usize])
        .fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), i| {
            (low.min(i.low), high.max(i.high))
        });
    let last_sheet = f64::from(settings.sheets.max(1)) - 1.0;
    let sheet = (0.5 * (low.x + high.x)).floor().clamp(0.0, last_sheet);
    let n = settings.size.clamp(1, CELLS);
    let per_texel = f64::from(n) / f64::from(settings.size.max(1));
    let cells = |p: DVec2| (p - DVec2::new(sheet, 0.0)) * f64::from(n);

    let mut taken = Mask::empty(n as usize, n as usize);
    for (i, island) in islands.iter().enumerate() {
        if island.textures == first.textures && !moved.contains(&(i as u32)) {
            for &f in &island.faces {
                taken.touch(layout.uv[f as usize].map(cells));
            }
        }
    }
    let (taken, margin) = taken.grown(settings.padding * per_texel);

    // The moved islands stand in a picture of their own, whose corner is a whole cell.
    let corner = cells(low).floor();
    let size = (cells(high) - corner).ceil() + 1.0;
    if !size.is_finite() || size.max_element() > 2.0 * f64::from(n) {
        return None;
    }
    let mut own = Mask::empty(size.x as usize, size.y as usize);
    for &f in moved.iter().flat_map(|&i| &islands[i as usize].faces) {
        own.touch(layout.uv[f as usize].map(|p| cells(p) - corner));
    }
    let rows: Vec<(i32, Vec<(u32, u32)>)> = (0..own.height)
        .map(|y| (y as i32, own.runs(y)))
        .filter(|(_, runs)| !runs.is_empty())
        .collect();
    let left = rows.iter().flat_map(|(_, r)| r).map(|r| r.0).min()? as i32;
    let right = rows.iter().flat_map(|(_, r)| r).map(|r| r.0 + r.1).max()? as i32;
    let (top, bottom) = (rows.first()?.0, rows.last()?.0 + 1);

    let border = (settings.border * per_texel).ceil() as i32;
    let edge = n as i32 - border;
    let corner = corner.as_ivec2();
    let is_clear = |by: IVec2| {
        let at = corner + by;
        at.x + left >= border
            && at.y + top >= border
            && at.x + right <= edge
            && at.y + bottom <= edge
            && rows.iter().all(|(y, runs)| {
                let row = (at.y + y + margin as i32) as usize;
                runs.iter().all(|&(start, length)| {
                    let from = (at.x + start as i32 + margin as i32) as usize;
                    !taken.any(row, from, from + length as usize)
                })
            })
    };
    let reach = (f64::from(n) * REACH).ceil() as i32;
    let mut shifts: Vec<IVec2> = (-reach..=reach)
        .flat_map(|y| (-reach..=reach).map(move |x| IVec2::new(x, y)))
        .filter(|s| s.length_squared() <= reach * reach)
        .collect();
    shifts.sort_by_key(|s| s.length_squared());
    let found = shifts.into_iter().find(|&s| is_clear(s))?;
    Some(found.as_dvec2() / f64::from(n))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{gap, measure};
    use ectome_mesh::{Mesh, MeshBuilder, Primitive};
    use glam::{Vec2, Vec3};

    /// Squares of the sheet, each an island: left, top, side.
    fn squares(list: &[(f32, f32, f32)]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for (i, &(x, y, s)) in list.iter().enumerate() {
            let corners = [[0., 0.], [1., 0.], [1., 1.], [0., 1.]];
            builder.primitive(Primitive {
                positions: corners
                    .map(|c| Vec3::new(c[0] + 2.0 * i as f32, c[1], 0.0))
                    .to_vec(),
                uv_sets: vec![
                    corners
                        .map(|c| Vec2::new(x + s * c[0], y + s * c[1]))
                        .to_vec(),
                ],
                corners: vec![0, 2, 1, 0, 3, 2],
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    fn shifted(list: &[(f32, f32, f32)], settings: &Settings) -> Option<(DVec2, f64)> {
        let mesh = squares(list);
        let mut layout = Layout::of(&mesh);
        let islands = measure::islands(&mesh, &layout);
        let by = shift(&layout, &islands, &[1], settings)?;
        for &f in &islands[1].faces {
            layout.uv[f as usize] = layout.uv[f as usize].map(|p| p + by);
        }
        let islands = measure::islands(&mesh, &layout);
        let gap = gap::smallest(&layout, &islands, &[]).unwrap_or(f64::INFINITY);
        Some((by, gap * f64::from(settings.size)))
    }

    fn settings() -> Settings {
        Settings {
            size: 1024,
            padding: 8.0,
            border: 8.0,
            ..Settings::default()
        }
    }

    /// One put 4 texels beside another goes 4 texels on, straight away from it.
    #[test]
    fn what_is_too_near_is_pushed_off_to_the_padding() {
        let (by, gap) = shifted(
            &[(0.25, 0.25, 0.25), (0.5 + 4.0 / 1024.0, 0.25, 0.25)],
            &settings(),
        )
        .unwrap();
        assert!(by.y == 0.0 && (by.x * 1024.0 - 4.0).abs() <= 1.5, "{by}");
        assert!((8.0..=9.5).contains(&gap), "{gap}");
    }

    #[test]
    fn what_is_clear_stays_and_what_leaves_the_sheet_comes_back() {
        let free = [(0.1, 0.1, 0.2), (0.6, 0.6, 0.2)];
        assert_eq!(shifted(&free, &settings()).unwrap().0, DVec2::ZERO);
        let over = [(0.1, 0.1, 0.2), (0.81, 0.6, 0.2)];
        let (by, _) = shifted(&over, &settings()).unwrap();
        let right = (0.81 + 0.2 + by.x) * 1024.0;
        assert!(
            by.y == 0.0 && (1014.0..=1016.01).contains(&right),
            "{right}"
        );
    }

    #[test]
    fn what_lies_right_on_another_is_left_where_it_was_put() {
        assert_eq!(
            shifted(&[(0.2, 0.2, 0.5), (0.3, 0.3, 0.3)], &settings()),
            None
        );
    }
}
