/** The parameter of a view of the past; none for now. */
export const asOf = (at?: string) => (at ? { at } : {});
