import { queryOptions } from "@tanstack/react-query";
import { ApiError } from "./errors";
import { readCollections } from "./records";

/** The collections, in the project's order. */
export const collections = queryOptions({ queryKey: ["collections"], queryFn: readCollections, staleTime: 300_000 });

/** One of them. */
export const collectionInfo = (name: string) =>
  queryOptions({
    ...collections,
    select: (all) => {
      const found = all.find((one) => one.name === name);
      if (found === undefined) throw new ApiError(404, "not-found", `There is no collection “${name}”.`);
      return found;
    },
  });
