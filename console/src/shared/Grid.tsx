// The dense table of the console: a plain table styled by its one parent, which stays fast with many rows.
import { chakra } from "@chakra-ui/react";
import { type ComponentProps, useEffect, useRef } from "react";
import { Link } from "react-router";

export const Grid = chakra("table", {
  base: {
    width: "100%",
    borderCollapse: "collapse",
    fontVariantNumeric: "tabular-nums",
    "& th": {
      textAlign: "left",
      fontWeight: 600,
      fontSize: "13px",
      color: "soft",
      padding: "6px 6px 6px 10px",
      borderBottom: "1px solid",
      borderColor: "line",
      whiteSpace: "nowrap",
    },
    "& td": {
      padding: "5px 6px 5px 10px",
      borderBottom: "1px solid",
      borderColor: "line",
      verticalAlign: "top",
    },
    "& tbody tr:hover, & tr[data-selected]": { bg: "tint" },
    "&[data-compact] td": { paddingBlock: "2px" },
    "&[data-fixed]": { tableLayout: "fixed" },
    "&[data-fixed] td": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
    "&[data-listed] thead th": { position: "sticky", top: 0, bg: "sheet", zIndex: 1 },
    "&[data-listed] tr:focus-visible": { outlineOffset: "-2px" },
    "& .n": { textAlign: "right" },
    "& .mono": { fontFamily: "mono", fontSize: "14px", whiteSpace: "nowrap" },
    "& .soft": { color: "soft" },
    "& .sr": {
      position: "absolute",
      width: "1px",
      height: "1px",
      overflow: "hidden",
      clipPath: "inset(50%)",
    },
    "& td.wide, & th.wide": { display: { base: "none", md: "table-cell" } },
    "& col.wide": { display: { base: "none", md: "table-column" } },
    "& .tight": { whiteSpace: "nowrap" },
    "& a": { color: "tarn", fontWeight: 600, textDecoration: "none" },
    "& a:hover": { textDecoration: "underline" },
  },
});

export const Sheet = chakra("section", {
  base: {
    // Words for screen readers alone lie where their cell is, and not beyond what scrolls.
    position: "relative",
    bg: "sheet",
    border: "1px solid",
    borderColor: "line",
    borderRadius: "6px",
    overflowX: "auto",
  },
});

export const Heading = chakra("h2", { base: { fontSize: "17px", fontWeight: 700, margin: "22px 0 8px" } });

/** A link from a heading to the whole list it shows a part of. */
export const More = chakra(Link, {
  base: { marginLeft: "10px", fontSize: "14px", fontWeight: 600, color: "tarn" },
});

const Headline = chakra("h1", { base: { fontSize: "24px", fontWeight: 700, marginBottom: "10px" } });

/** The heading of a page; the browser's tab and history are called the same. */
export function Title(props: ComponentProps<typeof Headline>) {
  const element = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    const text = element.current?.textContent?.trim();
    document.title = text ? `${text} – Kite Roll` : "Kite Roll";
  });
  return <Headline ref={element} {...props} />;
}

/** Names and values side by side. */
export const Facts = chakra("dl", {
  base: {
    display: "flex",
    flexWrap: "wrap",
    gap: "6px 30px",
    margin: "10px 0 4px",
    "& dt": { color: "soft", fontSize: "13px" },
    "& dd": { fontWeight: 600 },
  },
});

export const Field = chakra("input", {
  base: {
    padding: "4px 8px",
    bg: "sheet",
    border: "1px solid",
    borderColor: "line",
    borderRadius: "4px",
    _placeholder: { color: "soft" },
  },
});

export const Choice = chakra("select", {
  base: {
    padding: "4px 8px",
    bg: "sheet",
    color: "ink",
    border: "1px solid",
    borderColor: "line",
    borderRadius: "4px",
  },
});

/** Pasted lines of text. */
export const Lines = chakra("textarea", {
  base: {
    width: "100%",
    maxWidth: "700px",
    padding: "6px",
    bg: "sheet",
    border: "1px solid",
    borderColor: "line",
    fontFamily: "mono",
  },
});
