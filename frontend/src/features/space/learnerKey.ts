/** Several learners in one search are written as their keys with prior weights: `logistic | forest *2`. */

const parts = (key: string) => key.split("|").map((part) => part.trim());

export const namesIn = (key: string): string[] => parts(key).map((part) => part.split("*")[0]!.trim());

export const withLearner = (key: string, more: string): string => (more ? `${key} | ${more}` : key);

export function withoutLearner(key: string, less: string): string {
  const left = parts(key).filter((part) => part.split("*")[0]!.trim() !== less);
  return left.length ? left.join(" | ") : key;
}
