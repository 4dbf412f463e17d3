/** What this browser keeps for this page, such as its theme and keys. Where it keeps nothing, they hold for this visit. */

const named = (name: string) => `goshawk.${name}`;

export function remembered(name: string): string | null {
  try {
    return localStorage.getItem(named(name));
  } catch {
    return null; // told to keep nothing of this page, it refuses even to look
  }
}

export function remember(name: string, value: string) {
  try {
    localStorage.setItem(named(name), value);
  } catch {
    // it is in force all the same
  }
}
