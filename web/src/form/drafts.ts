/** What was written and not sent, kept in this browser until it is sent or thrown away. */
interface Kept {
  at: string;
  values: unknown;
}

const PREFIX = "draft ";

export function readDraft(name: string): Kept | undefined {
  try {
    const text = localStorage.getItem(PREFIX + name);
    return text === null ? undefined : (JSON.parse(text) as Kept);
  } catch {
    return undefined; // of an older version, or the browser keeps nothing
  }
}

export function keepDraft(name: string, values: unknown) {
  try {
    localStorage.setItem(PREFIX + name, JSON.stringify({ at: new Date().toISOString(), values }));
  } catch {
    // The browser keeps nothing: the form itself still does.
  }
}

export const dropDraft = (name: string) => localStorage.removeItem(PREFIX + name);

/** Who signs out leaves nothing on the machine. */
export function dropAllDrafts() {
  for (const key of Object.keys(localStorage)) if (key.startsWith(PREFIX)) localStorage.removeItem(key);
}

const OWNER = `${PREFIX}owner`;

/** Drafts are one person's: who signs in after somebody else in this browser finds none. */
export function draftsAreOf(person: string) {
  try {
    if (localStorage.getItem(OWNER) !== person) dropAllDrafts();
    localStorage.setItem(OWNER, person);
  } catch {
    // The browser keeps nothing.
  }
}

/** A form that holds something unsent: it may be thrown away. */
export interface Unsent {
  drop: () => void;
}

let unsent: readonly Unsent[] = [];

/** A form says that it holds something; the answer takes that back. */
export function holds(form: Unsent): () => void {
  unsent = [...unsent, form];
  return () => {
    unsent = unsent.filter((other) => other !== form);
  };
}

/** The forms on this page that hold something unsent. */
export const unsentForms = () => unsent;
