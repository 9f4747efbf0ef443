// Who is signed in, how the console shows things to them, and the way out.
import { chakra, Menu, Portal } from "@chakra-ui/react";
import { CircleUser } from "lucide-react";
import { useNavigate } from "react-router";
import { type Choice, type Preference, setPreference, usePreference } from "../app/preferences";

export function PersonMenu({ name, signOut }: { name: string; signOut: () => void }) {
  const navigate = useNavigate();
  return (
    <Menu.Root
      lazyMount
      unmountOnExit
      closeOnSelect={false}
      onSelect={({ value }) => {
        if (value === "account") navigate("/account");
        if (value === "about") navigate("/service/status");
        if (value === "out") signOut();
      }}
    >
      <Menu.Trigger asChild>
        <chakra.button
          type="button"
          display="flex"
          alignItems="center"
          gap="6px"
          padding="4px 9px"
          borderRadius="5px"
          cursor="pointer"
          whiteSpace="nowrap"
          _hover={{ bg: "tint" }}
        >
          <CircleUser size={18} aria-hidden /> <chakra.span hideBelow="md">{name}</chakra.span>
          <chakra.span srOnly>account and display</chakra.span>
        </chakra.button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content minWidth="210px">
            <Menu.Item value="account" closeOnSelect>
              My account
            </Menu.Item>
            <Menu.Item value="about" closeOnSelect>
              Service status
            </Menu.Item>
            <Menu.Separator />
            <Options
              of="colours"
              label="Colours"
              texts={{ system: "As the system", light: "Light", dark: "Dark" }}
            />
            <Options of="contrast" label="Contrast" texts={{ system: "As the system", high: "High" }} />
            <Options of="zone" label="Times" texts={{ local: "In my zone", utc: "In UTC" }} />
            <Options of="density" label="Rows" texts={{ comfortable: "Comfortable", compact: "Compact" }} />
            <Menu.Separator />
            <Menu.Item value="out" closeOnSelect>
              Sign out
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}

function Options<P extends Preference>({
  of,
  label,
  texts,
}: {
  of: P;
  label: string;
  texts: Record<Choice<P>, string>;
}) {
  const chosen = usePreference(of);
  return (
    <Menu.RadioItemGroup value={chosen} onValueChange={({ value }) => setPreference(of, value as Choice<P>)}>
      <Menu.ItemGroupLabel color="soft">{label}</Menu.ItemGroupLabel>
      {(Object.entries(texts) as [Choice<P>, string][]).map(([value, text]) => (
        <Menu.RadioItem key={value} value={value}>
          <Menu.ItemIndicator />
          {text}
        </Menu.RadioItem>
      ))}
    </Menu.RadioItemGroup>
  );
}
