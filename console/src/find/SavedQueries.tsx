// Queries that people keep: what is looked for now, by a name; one's own and those that are shared.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, need } from "../api/client";
import { savedQueriesQuery } from "../api/resources/links";
import { drop } from "../people/drop";
import { Heading } from "../shared/Grid";
import { Notice } from "../shared/QueryView";

export function SavedQueries() {
  const kept = useQuery(savedQueriesQuery);
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: (number: number) =>
      drop(api.DELETE("/api/v1/saved-queries/{number}", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["saved-queries"] }),
  });
  if (!kept.data || kept.data.length === 0) return null;
  return (
    <>
      <Heading>Kept queries</Heading>
      <Flex as="ul" listStyleType="none" gap="8px 18px" wrap="wrap" padding="0">
        {kept.data.map((one) => (
          <Flex as="li" key={one.id} align="center" gap="4px">
            <chakra.span color="tarn" fontWeight={600}>
              <Link to={one.path}>{one.name}</Link>
            </chakra.span>
            <chakra.span color="soft">
              {one.own ? (one.shared ? "shared" : "") : `by ${one.owner}`}
            </chakra.span>
            {one.own && (
              <Button
                size="xs"
                variant="ghost"
                aria-label={`keep ${one.name} no longer`}
                onClick={() => remove.mutate(one.id)}
              >
                ×
              </Button>
            )}
          </Flex>
        ))}
      </Flex>
    </>
  );
}

/** Keeps what the address line says now. */
export function KeepQuery({ text }: { text: string }) {
  const [name, setName] = useState("");
  const [shared, setShared] = useState(false);
  const client = useQueryClient();
  const keep = useMutation({
    meta: { done: "The query is saved." },
    mutationFn: () =>
      need(
        api.POST("/api/v1/saved-queries", {
          body: { name: name.trim(), path: `${location.pathname}${location.search}`, shared },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["saved-queries"] }),
  });
  return (
    <chakra.details marginTop="18px">
      <chakra.summary color="tarn" fontWeight={600} cursor="pointer">
        Keep this query
      </chakra.summary>
      <chakra.form
        marginTop="6px"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <Flex gap="12px" align="center" wrap="wrap">
          <label>
            Name{" "}
            <chakra.input
              value={name}
              onChange={(event) => setName(event.target.value)}
              required
              pattern="[A-Za-z0-9][A-Za-z0-9._\\-]*"
              title="letters, digits, dots, dashes and underscores"
              placeholder={text.replace(/[^A-Za-z0-9._-]+/g, "-")}
              border="1px solid"
              borderColor="line"
              borderRadius="4px"
              padding="3px 8px"
              bg="sheet"
            />
          </label>
          <label>
            <input type="checkbox" checked={shared} onChange={(event) => setShared(event.target.checked)} />{" "}
            everybody sees it
          </label>
          <Button type="submit" size="sm" bg="tarn" color="onTarn" loading={keep.isPending}>
            Keep
          </Button>
        </Flex>
      </chakra.form>
      {keep.isSuccess && <Notice tone="soft">{keep.data.name} is kept; the first page has it.</Notice>}
      {keep.error && <Notice tone="bad">{keep.error.message}</Notice>}
    </chakra.details>
  );
}
