// States in words, each with a shape of its own: colour never carries meaning alone.

const LOOKS: Record<string, { sign: string; color: string }> = {
  present: { sign: "●", color: "good" },
  quiet: { sign: "◐", color: "warn" },
  gone: { sign: "○", color: "soft" },
  read: { sign: "●", color: "good" },
  partial: { sign: "◐", color: "warn" },
  late: { sign: "◔", color: "warn" },
  silent: { sign: "✕", color: "bad" },
  refused: { sign: "⊘", color: "bad" },
  failed: { sign: "✕", color: "bad" },
  unread: { sign: "…", color: "soft" },
  off: { sign: "–", color: "soft" },
  up: { sign: "▲", color: "good" },
  down: { sign: "▽", color: "soft" },
  unknown: { sign: "?", color: "soft" },
  appeared: { sign: "+", color: "good" },
  returned: { sign: "↩", color: "good" },
  moved: { sign: "→", color: "tarn" },
  note: { sign: "○", color: "soft" },
  warning: { sign: "△", color: "warn" },
  serious: { sign: "◆", color: "bad" },
  open: { sign: "●", color: "kite" },
  acknowledged: { sign: "◐", color: "tarn" },
  cleared: { sign: "✓", color: "good" },
  sure: { sign: "●", color: "good" },
  likely: { sign: "◐", color: "warn" },
  doubtful: { sign: "?", color: "bad" },
  "at more places": { sign: "⇉", color: "warn" },
  "at fewer places": { sign: "⇇", color: "tarn" },
  "came back": { sign: "↩", color: "good" },
  enrolled: { sign: "✓", color: "good" },
  "not enrolled": { sign: "○", color: "soft" },
  stranger: { sign: "△", color: "warn" },
  "out of place": { sign: "↗", color: "warn" },
  barred: { sign: "◆", color: "bad" },
  overfull: { sign: "△", color: "warn" },
  broken: { sign: "△", color: "warn" },
  "in order": { sign: "✓", color: "good" },
  "not read": { sign: "◔", color: "warn" },
  exempt: { sign: "–", color: "soft" },
  waiting: { sign: "…", color: "kite" },
  accepted: { sign: "✓", color: "good" },
  "in place": { sign: "✓", color: "good" },
  elsewhere: { sign: "↗", color: "warn" },
  absent: { sign: "○", color: "soft" },
  "not listed": { sign: "△", color: "warn" },
  reading: { sign: "●", color: "good" },
  standby: { sign: "◐", color: "good" },
  lost: { sign: "✕", color: "bad" },
  "never heard": { sign: "…", color: "warn" },
  "up to date": { sign: "✓", color: "good" },
  "not heard": { sign: "✕", color: "bad" },
  "on its way": { sign: "◔", color: "warn" },
  restarted: { sign: "⟳", color: "kite" },
};

/** Plain elements with the classes of the theme: hundreds of them are on a page. */
export function StatusText({ of, title }: { of: string; title?: string }) {
  const look = LOOKS[of] ?? { sign: "?", color: "soft" };
  return (
    <span className={`status ${look.color}`} title={title}>
      <span className="sign" aria-hidden>
        {look.sign}
      </span>
      {of}
    </span>
  );
}
