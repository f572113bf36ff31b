import { lazy, Suspense, type ComponentType } from "react";
import { Waiting } from "../ui/Waiting";

/** A page by its name in a file of its own, which is loaded once it is to be shown. */
export function later<Name extends string>(load: () => Promise<Record<Name, ComponentType>>, name: Name): ComponentType {
  const Page = lazy<ComponentType>(async () => ({ default: (await load())[name] }));
  return function Later() {
    return (
      <Suspense fallback={<Waiting what="the page" />}>
        <Page />
      </Suspense>
    );
  };
}
