/** Sentences behind `#` in a space, by setting. */
export const sentencesIn = (space: string): Record<string, string> =>
  Object.fromEntries(
    space
      .split("\n")
      .map((line) => /^\s*([A-Za-z_]\w*)\s*:.*#\s*(.+)$/.exec(line))
      .filter((found) => found !== null)
      .map((found) => [found[1]!, found[2]!.trim()]),
  );
