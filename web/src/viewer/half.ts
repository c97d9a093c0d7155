const VALUES = new Float32Array(65536);
for (let bits = 0; bits < 65536; bits++) VALUES[bits] = decoded(bits);

/** IEEE 754 binary16 to a number. */
export function fromHalf(bits: number): number {
  return VALUES[bits] ?? 0;
}

/** Every half float by its bits, for loops over many. */
export const HALF_VALUES: Float32Array = VALUES;

function decoded(half: number): number {
  const sign = half & 0x8000 ? -1 : 1;
  const exponent = (half >> 10) & 0x1f;
  const fraction = half & 0x3ff;
  if (exponent === 0) return sign * fraction * 2 ** -24;
  if (exponent === 31) return fraction ? Number.NaN : sign * Number.POSITIVE_INFINITY;
  return sign * (1 + fraction / 1024) * 2 ** (exponent - 15);
}
