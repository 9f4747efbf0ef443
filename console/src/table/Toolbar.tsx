// Above a table: narrowing, how many rows there are, columns, copying and files.
import { Button, chakra, Flex, Menu, Popover, Portal } from "@chakra-ui/react";
import { ArrowLeft, ArrowRight, Columns3, Copy, Download } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import { EXPORT_SHAPES, type ExportFilter, exportPath } from "../shared/links";
import { asTabs, type Column, moved } from "./model";

const TYPING_MS = 150;
const TOLD_MS = 2_000;

type Props<T> = {
  columns: Column<T>[];
  shown: string[];
  setShown: (ids: string[]) => void;
  text: string;
  setText: (text: string) => void;
  count: string;
  /** What is copied. */
  rows: T[];
  visible: Column<T>[];
  exported?: { list: string; filters?: ExportFilter } | undefined;
  /** So few rows that they need no tools. */
  few: boolean;
  children?: ReactNode;
};

export function Toolbar<T>(props: Props<T>) {
  const { columns, shown, setShown, count, rows, visible, exported } = props;
  return (
    <Flex gap="8px" align="center" wrap="wrap" margin="0 0 8px" _print={{ display: "none" }}>
      {props.children}
      {!props.few && <Narrow text={props.text} setText={props.setText} />}
      <chakra.span role="status" color="soft" fontSize="13px" whiteSpace="nowrap">
        {count}
      </chakra.span>
      <Flex gap="6px" marginLeft="auto">
        {!props.few && <ColumnChoice columns={columns} shown={shown} setShown={setShown} />}
        {!props.few && <CopyRows rows={rows} visible={visible} />}
        {exported && <Files list={exported.list} filters={exported.filters ?? {}} />}
      </Flex>
    </Flex>
  );
}

function Narrow({ text, setText }: { text: string; setText: (text: string) => void }) {
  const [typed, setTyped] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => typed !== text && setText(typed), TYPING_MS);
    return () => clearTimeout(timer);
  });
  return (
    <chakra.input
      aria-label="words the rows must have"
      placeholder="narrow the rows"
      title="words the rows must have; site:quay looks at that column alone"
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      spellCheck={false}
      width={{ base: "100%", sm: "190px" }}
      padding="4px 8px"
      bg="sheet"
      border="1px solid"
      borderColor="line"
      borderRadius="4px"
      _placeholder={{ color: "soft" }}
    />
  );
}

function ColumnChoice<T>({
  columns,
  shown,
  setShown,
}: {
  columns: Column<T>[];
  shown: string[];
  setShown: (ids: string[]) => void;
}) {
  const hidden = columns.map((one) => one.id).filter((id) => !shown.includes(id));
  const name = (id: string) => columns.find((one) => one.id === id)?.header ?? id;
  return (
    <Popover.Root lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <Button size="xs" variant="outline">
          <Columns3 size={14} aria-hidden /> Columns
        </Button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content padding="10px 12px" width="260px" aria-label="columns">
            {[...shown, ...hidden].map((id) => (
              <Flex key={id} align="center" gap="6px" padding="1px 0">
                <chakra.label flex="1">
                  <input
                    type="checkbox"
                    checked={shown.includes(id)}
                    disabled={shown.length === 1 && shown[0] === id}
                    onChange={() =>
                      setShown(shown.includes(id) ? shown.filter((one) => one !== id) : [...shown, id])
                    }
                  />{" "}
                  {name(id)}
                </chakra.label>
                {shown.includes(id) &&
                  ([-1, 1] as const).map((by) => (
                    <chakra.button
                      key={by}
                      type="button"
                      aria-label={`${name(id)} further to the ${by < 0 ? "left" : "right"}`}
                      padding="3px"
                      borderRadius="4px"
                      _hover={{ bg: "tint" }}
                      onClick={() => setShown(moved(shown, id, by))}
                    >
                      {by < 0 ? <ArrowLeft size={14} /> : <ArrowRight size={14} />}
                    </chakra.button>
                  ))}
              </Flex>
            ))}
            <Button size="xs" variant="plain" onClick={() => setShown([])}>
              The usual ones
            </Button>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

function CopyRows<T>({ rows, visible }: { rows: T[]; visible: Column<T>[] }) {
  const [result, setResult] = useState("");
  useEffect(() => {
    const timer = setTimeout(() => setResult(""), TOLD_MS);
    return () => clearTimeout(timer);
  });
  const copy = () =>
    navigator.clipboard.writeText(asTabs(rows, visible)).then(
      () => setResult(`${rows.length} copied`),
      () => setResult("the browser does not allow it"),
    );
  return (
    <Button
      size="xs"
      variant="outline"
      onClick={() => void copy()}
      title="the rows shown, or the selected ones"
    >
      <Copy size={14} aria-hidden /> <span role="status">{result || "Copy"}</span>
    </Button>
  );
}

function Files({ list, filters }: { list: string; filters: ExportFilter }) {
  return (
    <Menu.Root lazyMount unmountOnExit>
      <Menu.Trigger asChild>
        <Button size="xs" variant="outline">
          <Download size={14} aria-hidden /> Export
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content>
            {EXPORT_SHAPES.map(([shape, name]) => (
              <Menu.Item key={shape} value={shape} asChild>
                <a href={exportPath(list, shape, filters)} download>
                  {name}
                </a>
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
