/** Drafts that survive a reload: kept in this browser until they are done with, or until what they rest on has moved on. */
interface Kept {
  after: string; // what it rests on
  draft: unknown;
}

export function readDraft(key: string, after: string): unknown {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? "null") as Kept | null;
    return kept?.after === after ? kept.draft : null;
  } catch {
    return null; // of another version, or not ours
  }
}

export function keepDraft(key: string, after: string, draft: unknown): void {
  try {
    localStorage.setItem(key, JSON.stringify({ after, draft } satisfies Kept));
  } catch {
    // A full or forbidden store costs the draft its second life and nothing else.
  }
}

/** How somebody likes it, whatever it rests on. */
export const readKept = <T>(key: string): Partial<T> => (readDraft(key, "always") as Partial<T> | null) ?? {};
export const writeKept = (key: string, kept: unknown): void => keepDraft(key, "always", kept);

export const dropDraft = (key: string): void => localStorage.removeItem(key);
