/** What every measure, check and family says of itself; it changes only with the program. */
import { useQuery } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Method = Schemas["Method"];

export const useMethods = () =>
  useQuery({
    queryKey: ["methods"],
    queryFn: async () => told(await client.GET("/api/methods")),
    staleTime: Infinity,
  });
