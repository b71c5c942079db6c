/** The column names of a file of results, read from its head alone. */
export function header(text: string, format: "csv" | "jsonl"): string[] {
  const line = text.replace(/^\uFEFF/, "").split(/\r?\n/, 1)[0] ?? "";
  if (format === "csv") return fields(line);
  try {
    const row = JSON.parse(line) as Record<string, unknown>;
    const { configuration, ...rest } = row;
    const inner = configuration && typeof configuration === "object" ? Object.keys(configuration) : [];
    return [...Object.keys(rest), ...inner];
  } catch {
    return [];
  }
}

/** The fields of one CSV line, quotes and doubled quotes understood. */
function fields(line: string): string[] {
  const found: string[] = [];
  let [field, quoted] = ["", false];
  for (let i = 0; i < line.length; i++) {
    const c = line[i]!;
    if (quoted && c === '"' && line[i + 1] === '"') field += line[++i]!;
    else if (c === '"') quoted = !quoted;
    else if (c === "," && !quoted) {
      found.push(field);
      field = "";
    } else field += c;
  }
  return [...found, field].map((name) => name.trim()).filter((name) => name !== "");
}

/** Settings as a person writes them, `name: value` a line, as values; the first line that is not one is named. */
export function settingsOf(text: string): Record<string, string | number | boolean> | string {
  const found: Record<string, string | number | boolean> = {};
  for (const line of text.split("\n")) {
    if (line.trim() === "") continue;
    const match = /^\s*([A-Za-z_]\w*)\s*[:=]\s*(.+?)\s*$/.exec(line);
    if (!match) return `"${line.trim()}" is not a setting: write name: value.`;
    const [, name, value] = match as unknown as [string, string, string];
    const number = Number(value);
    found[name] = value === "yes" ? true : value === "no" ? false : Number.isNaN(number) ? value : number;
  }
  return found;
}
