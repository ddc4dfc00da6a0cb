/** A place in a manifest file: the names and positions that lead there. */
export type Path = readonly (string | number)[];

/** Takes note of a mistake. What takes long to say is said only where somebody hears it. */
export type Complain = (path: Path, detail: string | (() => string)) => void;
