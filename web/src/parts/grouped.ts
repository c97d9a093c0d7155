/** Rows by a key, in their order; `Map.groupBy` is not in every browser yet. */
export function grouped<Row>(rows: readonly Row[], keyOf: (row: Row) => string): Map<string, Row[]> {
  const found = new Map<string, Row[]>();
  for (const row of rows) {
    const key = keyOf(row);
    const group = found.get(key);
    if (group) group.push(row);
    else found.set(key, [row]);
  }
  return found;
}
