// Find from every page: a dialog over it, by keyboard alone. Endpoints, switches, ports, VLANs, findings, pages and
// actions, as one types.
import { Box, chakra, Dialog, Portal } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { searchQuery } from "../api/resources/endpoints";
import { findingsQuery } from "../api/resources/findings";
import { readWords } from "../endpoints/words";
import { type Answer, answersOf, step } from "./model";

const TYPING_MS = 15;
const RECENT = "kiteroll.recent-finds";
const MOST_RECENT = 6;

export function QuickFind({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [typed, setTyped] = useState("");
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState(0);
  const [entered, setEntered] = useState(false);
  const box = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  useEffect(() => {
    const timer = setTimeout(() => setText(typed.trim()), TYPING_MS);
    return () => clearTimeout(timer);
  }, [typed]);
  // Words that are filters are no question to the search.
  const filters = Object.keys(readWords(text, 0).filter).length > 0;
  const found = useQuery({ ...searchQuery(text), enabled: open && text !== "" && !filters });
  const findings = useQuery({
    ...findingsQuery({ state: ["open"], sort: "severity", limit: 100 }),
    enabled: open,
  });
  const answers = answersOf(
    typed.trim(),
    text === "" || filters ? undefined : found.data,
    findings.data?.items,
  );
  const recent = typed === "" ? recentFinds() : [];
  const go = (answer: Answer | undefined) => {
    if (!answer) return;
    if (text) keepRecent(text);
    setTyped("");
    onClose();
    navigate(answer.path);
  };
  const onKey = (event: React.KeyboardEvent) => {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      setChosen((now) => Math.max(0, step(now, event.key, answers.length)));
    } else if (event.key === "Enter") {
      setEntered(true);
    }
  };
  const settled =
    typed.trim() === text && (text === "" || filters || (!found.isPlaceholderData && !found.isPending));
  useEffect(() => {
    // Whoever types fast presses Enter before the answer is there: it is followed once it is.
    if (!entered || !settled) return;
    setEntered(false);
    go(answers[chosen]);
  });
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(change) => !change.open && onClose()}
      initialFocusEl={() => box.current}
      placement="top"
      size="lg"
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="sheet" color="ink" aria-label="find">
            <Box padding="14px">
              <chakra.input
                ref={box}
                role="combobox"
                aria-label="find anything"
                aria-expanded={answers.length > 0}
                aria-controls="quick-answers"
                aria-activedescendant={answers[chosen] ? `quick-${chosen}` : undefined}
                value={typed}
                onChange={(event) => {
                  setTyped(event.target.value);
                  setChosen(0);
                  setEntered(false);
                }}
                onKeyDown={onKey}
                placeholder="digits of an address, an IP, a switch, vlan:20 life:quiet, a page"
                autoComplete="off"
                spellCheck={false}
                width="100%"
                padding="8px 12px"
                fontFamily="mono"
                fontSize="16px"
                bg="sheet"
                border="2px solid"
                borderColor="tarn"
                borderRadius="6px"
                _placeholder={{ color: "soft", fontFamily: "body" }}
              />
              <Box
                id="quick-answers"
                role="listbox"
                aria-label="answers"
                marginTop="8px"
                maxHeight="60vh"
                overflowY="auto"
              >
                {answers.map((one, at) => (
                  <chakra.div
                    key={`${one.group} ${one.path} ${one.name}`}
                    id={`quick-${at}`}
                    role="option"
                    aria-selected={at === chosen}
                    bg={at === chosen ? "tint" : undefined}
                    padding="5px 10px"
                    borderRadius="5px"
                    cursor="pointer"
                    display="flex"
                    gap="12px"
                    onClick={() => go(one)}
                    onMouseMove={(event) => hasMoved(event) && setChosen(at)}
                  >
                    <chakra.span color="soft" width="84px" flexShrink={0}>
                      {at === 0 || answers[at - 1]?.group !== one.group ? one.group : ""}
                    </chakra.span>
                    <chakra.span fontWeight={600} fontFamily={one.group === "endpoints" ? "mono" : undefined}>
                      {one.name}
                    </chakra.span>
                    <chakra.span color="soft">{one.about}</chakra.span>
                  </chakra.div>
                ))}
              </Box>
              {typed.trim() !== "" && answers.length === 0 && !found.isFetching && (
                <chakra.p color="soft" role="status" padding="5px 10px">
                  No match for {typed.trim()}.
                </chakra.p>
              )}
              {recent.length > 0 && (
                <chakra.p color="soft" padding="8px 10px 0">
                  Lately:{" "}
                  {recent.map((one) => (
                    <chakra.button
                      key={one}
                      type="button"
                      fontFamily="mono"
                      color="tarn"
                      marginRight="12px"
                      onClick={() => {
                        setTyped(one);
                        box.current?.focus();
                      }}
                    >
                      {one}
                    </chakra.button>
                  ))}
                </chakra.p>
              )}
            </Box>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

/** Browsers report a move too when the list changes beneath a mouse at rest: that must not undo the keyboard. */
function hasMoved(event: React.MouseEvent): boolean {
  return event.movementX !== 0 || event.movementY !== 0;
}

function recentFinds(): string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(RECENT) ?? "[]");
    return Array.isArray(kept) ? kept.filter((one) => typeof one === "string").slice(0, MOST_RECENT) : [];
  } catch {
    return [];
  }
}

function keepRecent(text: string): void {
  const kept = [text, ...recentFinds().filter((one) => one !== text)].slice(0, MOST_RECENT);
  localStorage.setItem(RECENT, JSON.stringify(kept));
}
