// The corner where confirmations are shown. Its components are fetched when there is one.
import { lazy, Suspense, useEffect, useState } from "react";
import { onConfirmation } from "../shared/confirmations";

const Toaster = lazy(() => import("./Toaster").then((all) => ({ default: all.Toaster })));
const MOST = 4;

export function Toasts() {
  const [early, setEarly] = useState<string[]>([]);
  useEffect(() => onConfirmation((text) => setEarly((before) => [...before, text].slice(-MOST))), []);
  return <Suspense>{early.length > 0 && <Toaster early={early} />}</Suspense>;
}
