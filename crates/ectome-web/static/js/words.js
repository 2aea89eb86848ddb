// Figures as the pages write them.

/** Digits in groups of three, set apart by thin spaces. */
export const grouped = (n) => String(Math.round(n)).replace(/\B(?=(\d{3})+$)/g, '\u2009');

/** A count for the marks of a scale. */
export const short = (n) => (n >= 1e6 ? `${n / 1e6} M` : n >= 1e3 ? `${n / 1e3} k` : String(n));

/** A length in the unit that suits it. */
export function length(mm) {
  if (mm >= 1000) return `${(mm / 1000).toFixed(2)} m`;
  if (mm >= 100) return `${mm.toFixed(0)} mm`;
  if (mm >= 1) return `${mm.toFixed(1)} mm`;
  if (mm >= 0.001) return `${(mm * 1000).toFixed(0)} µm`;
  return '0';
}
