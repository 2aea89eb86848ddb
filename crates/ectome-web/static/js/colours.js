// Colours of what is drawn on a canvas, in one place: style sheets do not reach there. The stage keeps them in both sets, so that a
// source looks the same whoever looks at it.

/** Kelp, bright enough to show on any material. */
export const PROTECTED = 0x4fd8c4;
/** What is chosen on the sheet, where it stands on the stage. */
export const CHOSEN = PROTECTED;
/** Rust, for the places of findings. */
export const MARKED = 0xd8481c;
/** A surface without material. */
export const CLAY = 0xb6b3a8;
/** An outline before the ground. */
export const INK = 0x1a2a2e;
/** Edges of triangles. */
export const EDGE = 0x14201f;
/** Light from above and from the ground, the key light, and the one from behind. */
export const SKY = 0xf4f7f8;
export const GROUND = 0x8a8272;
export const KEY = 0xfff4e0;
export const RIM = 0xdfe9ee;
/** The two tones of the checker, and the mark in each cell. */
export const CHECKER = ['#EFE9D8', '#C3CDB9', '#3C5A50'];
/** Viridis (S. van der Walt, N. Smith, 2015; public domain) at equal steps. */
export const VIRIDIS = [
  0x440154, 0x472d7b, 0x3b528b, 0x2c728e, 0x21918c, 0x28ae80, 0x5ec962, 0xaddc30, 0xfde725,
];
