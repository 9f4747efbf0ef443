// Links to a device by the operator's templates: its own page, a shell.
import { chakra, Flex } from "@chakra-ui/react";

export function DeviceLinks({ links }: { links: { name: string; url: string }[] }) {
  if (links.length === 0) return null;
  return (
    <Flex as="ul" listStyleType="none" gap="14px" wrap="wrap" padding="0" aria-label="links to the device">
      {links.map((one) => (
        <li key={one.name}>
          <chakra.a href={one.url} target="_blank" rel="noreferrer" color="tarn" fontWeight={600}>
            {one.name}
          </chakra.a>
        </li>
      ))}
    </Flex>
  );
}
