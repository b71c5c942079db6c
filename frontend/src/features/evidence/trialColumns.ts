/** The columns of the trial table: which there are, how wide, which are shown and which stay in sight. Pure. */
export interface Column {
  key: string; // what it is sorted by
  label: string;
  width: string; // of its grid track
  pixels: number; // at least
  kind: "search" | "number" | "folds" | "score" | "seconds" | "recorded" | "setting" | "seen";
}

interface Wanted {
  together: boolean;
  metric: string;
  recorded: string[];
  settings: string[];
}

const fixed = (key: string, label: string, pixels: number, kind: Column["kind"]): Column => ({
  key,
  label,
  width: `${pixels}px`,
  pixels,
  kind,
});
const wide = (name: string, kind: Column["kind"]): Column => ({
  key: name,
  label: name,
  width: "minmax(84px, 1fr)",
  pixels: 84,
  kind,
});

export function columnsOf({ together, metric, recorded, settings }: Wanted): Column[] {
  return [
    ...(together ? [fixed("search", "Search", 56, "search")] : []),
    fixed("number", "Trial", 64, "number"),
    fixed("folds", "Folds", 44, "folds"),
    fixed("score", metric, 172, "score"),
    fixed("seconds", "Cost", 84, "seconds"),
    ...recorded.map((name) => wide(name, "recorded")),
    ...settings.map((name) => wide(name, "setting")),
    fixed("seen", "Knew", 64, "seen"),
  ];
}

/** How the table is arranged: columns that are hidden, and those that stay at the left while the rest moves. */
export interface Arrangement {
  hidden: string[];
  pinned: string[];
}

export const PLAIN: Arrangement = { hidden: [], pinned: ["search", "number"] };
const NEEDED = "number"; // a row without its number is nobody's

/** Pinned columns first, hidden ones left out. */
export function arranged(columns: Column[], { hidden, pinned }: Arrangement): Column[] {
  const shown = columns.filter((c) => c.key === NEEDED || !hidden.includes(c.key));
  return [...shown.filter((c) => pinned.includes(c.key)), ...shown.filter((c) => !pinned.includes(c.key))];
}

/** How far from the left each pinned column stands, in pixels. */
export function offsets(shown: Column[], pinned: string[], gap: number, begin: number): Map<string, number> {
  const found = new Map<string, number>();
  let at = begin;
  for (const column of shown.filter((c) => pinned.includes(c.key))) {
    found.set(column.key, at);
    at += column.pixels + gap;
  }
  return found;
}

export const toggled = (list: string[], key: string) =>
  list.includes(key) ? list.filter((one) => one !== key) : [...list, key];
