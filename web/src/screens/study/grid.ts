/** The keys of a grid: where a key leads from a cell. Row -1 is the head. */
export type Place = { row: number; column: number };

const ROWS_A_PAGE = 10;

/** The cell that a key leads to; null where it is no key of movement. Nothing leads out of the grid. */
export function moved(
  from: Place,
  pressed: { key: string; ctrlKey: boolean },
  size: { rows: number; columns: number },
): Place | null {
  const last = { row: size.rows - 1, column: size.columns - 1 };
  const at = (row: number, column: number, top = -1): Place => ({
    row: Math.max(Math.min(row, last.row), Math.min(top, last.row)),
    column: Math.max(Math.min(column, last.column), 0),
  });
  switch (pressed.key) {
    case "ArrowDown":
      return at(from.row + 1, from.column);
    case "ArrowUp":
      return at(from.row - 1, from.column);
    case "ArrowRight":
      return at(from.row, from.column + 1);
    case "ArrowLeft":
      return at(from.row, from.column - 1);
    case "PageDown":
      return at(from.row + ROWS_A_PAGE, from.column, 0);
    case "PageUp":
      return at(from.row - ROWS_A_PAGE, from.column, 0);
    case "Home":
      return at(pressed.ctrlKey ? 0 : from.row, 0);
    case "End":
      return at(pressed.ctrlKey ? last.row : from.row, last.column);
    default:
      return null;
  }
}

/** The id of a cell, by which the grid says where the keyboard is. */
export function cellId({ row, column }: Place): string {
  return `run-cell-${row}-${column}`;
}

/** The attributes of a cell in a row of this number; the head is row 1 to whoever listens. */
export function cellAt(row: number, column: number, here: Place | null) {
  return {
    id: cellId({ row, column }),
    "aria-colindex": column + 1,
    "data-here": (here?.row === row && here.column === column) || undefined,
  };
}
