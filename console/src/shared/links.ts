// Where things are in the console: every view has a URL, and this is the one place that writes them.

export const switchPath = (name: string) => `/switches/${encodeURIComponent(name)}`;

export const portPath = (switchName: string, port: string) =>
  `${switchPath(switchName)}?port=${encodeURIComponent(port)}`;

export const findPath = (text: string) => `/?q=${encodeURIComponent(text)}`;
