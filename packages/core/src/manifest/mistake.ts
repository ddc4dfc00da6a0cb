/** A place in a manifest file: the names and positions that lead there. */
export type Path = readonly (string | number)[];

/** Takes note of a mistake. */
export type Complain = (path: Path, detail: string) => void;
