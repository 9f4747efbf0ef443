/** In their order, `most` at a time; the last ones may be fewer. */
export function chunks<T>(values: T[], most: number): T[][] {
  const found: T[][] = [];
  for (let at = 0; at < values.length; at += most) found.push(values.slice(at, at + most));
  return found;
}
