/** The last part of a path in a menu. */
export const short = (path: string) => path.split(" > ").at(-1) ?? path;
