// Figures as the pages write them.

/** Digits in groups of three, set apart by spaces that lines do not break at. */
export const grouped = (n) => String(Math.round(n)).replace(/\B(?=(\d{3})+$)/g, '\u00a0');

/** A count for the marks of a scale. */
export const short = (n) => (n >= 1e6 ? `${n / 1e6} M` : n >= 1e3 ? `${n / 1e3} k` : String(n));

/** A length in the unit that suits it, with three figures. */
export function length(mm) {
  const figures = (v) => v.toFixed(Math.max(0, 2 - Math.floor(Math.log10(Math.max(v, 1)))));
  if (mm >= 999.5) return `${figures(mm / 1000)} m`;
  if (mm >= 0.9995) return `${figures(mm)} mm`;
  if (mm >= 0.001) return `${(mm * 1000).toFixed(0)} µm`;
  return '0';
}
