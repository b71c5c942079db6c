/** A rule's key as it is written for people; no rule is told as such. */
export const stoppingLabel = (key: string) => (key === "none" ? "–" : key.charAt(0).toUpperCase() + key.slice(1));
