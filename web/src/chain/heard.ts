import { useQuery } from "@tanstack/react-query";

import { api, ok, type Schemas } from "../api/client";

/** What comes to a chain at a place and what leaves it, and what its steps do there. */
export type Heard = Schemas["ChainSpectrum"];

/** The kinds of processors there are; they stay the same while the server runs. */
export const useProcessors = () => useQuery({ queryKey: ["processors"], queryFn: () => ok(api.GET("/processors")), staleTime: Infinity });
