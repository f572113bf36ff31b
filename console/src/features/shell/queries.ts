import { queryOptions } from "@tanstack/react-query";
import { readCollections } from "../../api/records";

export const collections = queryOptions({ queryKey: ["collections"], queryFn: readCollections, staleTime: 300_000 });
