import { expect, it } from "vitest";
import { quoted } from "../../src/lib/command";

it.each([
  ["--rate={rate}", "--rate={rate}"],
  ["two words", "'two words'"],
  ["it's", `'it'"'"'s'`],
  ["$HOME;rm", "'$HOME;rm'"],
])("an argument is typed so that a shell reads it back: %s", (part, typed) => {
  expect(quoted(part)).toBe(typed);
});
