// Calls that answer with nothing (status 204); a problem document becomes a `ServiceProblem`.
import { need } from "../api/client";

export function drop(asked: Promise<{ error?: unknown; response: Response }>): Promise<true> {
  return need<true>(
    asked.then(({ error, response }) => (response.ok ? { data: true, response } : { error, response })),
  );
}
