// Keeps a query by a name, for oneself or for everybody; fetched once there is one to keep.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../api/client";
import { Notice } from "../shared/QueryView";

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
              maxLength={64}
              placeholder={text.slice(0, 64)}
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
