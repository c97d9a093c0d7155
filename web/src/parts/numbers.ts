// figures are copied into spreadsheets: a point before decimals and no grouping, whatever the machine's language
const LANGUAGE = "en-GB";
const kept = new Map<string, Intl.NumberFormat>();

function written(value: number, options: Intl.NumberFormatOptions): string {
  const key = JSON.stringify(options);
  const format = kept.get(key) ?? new Intl.NumberFormat(LANGUAGE, { useGrouping: false, ...options });
  kept.set(key, format);
  return format.format(value);
}

/** So many significant digits without an exponent. */
export function digits(value: number, many: number): string {
  return written(value, { minimumSignificantDigits: many, maximumSignificantDigits: many });
}

/** Three significant digits without an exponent: 0.0123, 1.23, 123, 12300. */
export function three(value: number): string {
  if (!Number.isFinite(value)) return "not finite";
  return value === 0 ? "0" : digits(value, 3);
}

/** So many decimals. */
export function fixed(value: number, decimals: number): string {
  return written(value, { minimumFractionDigits: decimals, maximumFractionDigits: decimals });
}

/** So many decimals with the sign before them, as of shifts: +0.250, −1.000; what rounds to nothing has none. */
export function signed(value: number, decimals: number): string {
  return written(value, {
    minimumFractionDigits: decimals,
    maximumFractionDigits: decimals,
    signDisplay: "exceptZero",
  }).replace("-", "−");
}
