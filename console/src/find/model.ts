// Logic of the find page, without rendering.

export type Piece = { text: string; hit: boolean };

/** Digits of a fragment as the service reads it, or null when the text is none. */
export function fragmentDigits(text: string): string | null {
  const stripped = text.trim().replace(/^0x/i, "");
  const groups = stripped.split(/[:\-. ]/).filter(Boolean);
  if (groups.length === 0 || groups.some((group) => !/^[0-9a-f]+$/i.test(group))) return null;
  const longest = Math.max(...groups.map((group) => group.length));
  const width = groups.length === 1 ? longest : [2, 4, 6].find((full) => longest <= full);
  if (width === undefined) return null;
  const last = groups.length - 1;
  return groups
    .map((group, at) => (at === 0 || at === last ? group : group.padStart(width, "0")))
    .join("")
    .toLowerCase();
}

/** An address cut where the fragment matches it, for marking; the match nearest its end, as ranked. */
export function markFragment(mac: string, text: string): Piece[] {
  const digits = fragmentDigits(text);
  const at = digits ? mac.replaceAll(":", "").lastIndexOf(digits) : -1;
  if (!digits || at < 0) return [{ text: mac, hit: false }];
  const place = (digit: number) => digit + Math.floor(digit / 2);
  const start = place(at);
  const end = place(at + digits.length - 1) + 1;
  return [
    { text: mac.slice(0, start), hit: false },
    { text: mac.slice(start, end), hit: true },
    { text: mac.slice(end), hit: false },
  ].filter((piece) => piece.text !== "");
}

/** The row chosen by an arrow key; -1 is the search box itself. */
export function step(current: number, key: string, rows: number): number {
  if (rows === 0) return -1;
  if (key === "ArrowDown") return Math.min(current + 1, rows - 1);
  if (key === "ArrowUp") return Math.max(current - 1, -1);
  return current;
}

/** Where the address comes from, in a sentence. */
export function originText(maker: string, origin: string): string {
  if (maker) return `Maker of the address: ${maker}.`;
  if (origin === "likely random") return "The address is probably random, made up by the device.";
  if (origin === "local") return "A locally administered address.";
  return "No maker is registered for the address.";
}

export function vlanText(vlan: number | null, name: string): string {
  return vlan === null ? "not known" : `${vlan} ${name}`.trim();
}
