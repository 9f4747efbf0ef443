// Exports the whole of the list that is shown.
import { chakra } from "@chakra-ui/react";
import { EXPORT_SHAPES, exportPath } from "./links";

export function Exports({ list, filters = {} }: { list: string; filters?: Record<string, string> }) {
  return (
    <chakra.span color="soft" fontSize="13px" fontWeight={400}>
      as a file:{" "}
      {EXPORT_SHAPES.map(([shape]) => (
        <chakra.a
          key={shape}
          href={exportPath(list, shape, filters)}
          color="tarn"
          fontWeight={600}
          marginRight="8px"
          download
        >
          {shape}
        </chakra.a>
      ))}
    </chakra.span>
  );
}
