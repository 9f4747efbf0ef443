// The corner where it is told what was done. Its components are fetched when there is something to tell.
import { lazy, Suspense, useEffect, useState } from "react";
import { onTold } from "../shared/told";

const Toaster = lazy(() => import("./Toaster").then((all) => ({ default: all.Toaster })));
const MOST = 4;

export function Toasts() {
  const [early, setEarly] = useState<string[]>([]);
  useEffect(() => onTold((text) => setEarly((before) => [...before, text].slice(-MOST))), []);
  return <Suspense>{early.length > 0 && <Toaster early={early} />}</Suspense>;
}
