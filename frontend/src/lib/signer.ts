const KEY = "pellux-signer";

/** Who signed last in this browser; asked once, not every time. */
export const lastSigner = (): string => localStorage.getItem(KEY) ?? "";
export const keepSigner = (name: string): void => localStorage.setItem(KEY, name.trim());
