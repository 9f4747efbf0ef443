// Queries that people keep: one's own and those that are shared.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { savedQueriesQuery } from "../api/resources/links";
import { drop } from "../people/drop";
import { Heading } from "../shared/Grid";

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
