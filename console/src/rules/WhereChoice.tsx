// A choice of everything, a group or a switch.
import { useQuery } from "@tanstack/react-query";
import { switchesQuery } from "../api/resources/switches";
import { Choice } from "../shared/Grid";
import { groupsOf } from "../switches/model";

export function WhereChoice({
  id,
  label,
  where,
  setWhere,
}: {
  id: string;
  label: string;
  where: string;
  setWhere: (where: string) => void;
}) {
  const switches = useQuery(switchesQuery).data?.items ?? [];
  return (
    <>
      <label htmlFor={id}>{label}</label>
      <Choice id={id} value={where} onChange={(event) => setWhere(event.target.value)}>
        <option value="">everything</option>
        {groupsOf(switches).map((name) => (
          <option key={name} value={`group:${name}`}>
            group {name}
          </option>
        ))}
        {switches.map((one) => (
          <option key={one.name} value={`switch:${one.name}`}>
            {one.name}
          </option>
        ))}
      </Choice>
    </>
  );
}
