import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

/** What is laid over a setup's plates: other setups, and targets pinned as if a perfect display had been measured. */
export interface Laid {
  overlay: number[];
  pins: string[];
  target: string | null;
}

/** What an address says of it. */
export const laidIn = (search: URLSearchParams): Laid => ({
  overlay: search.getAll("overlay").map(Number),
  pins: search.getAll("pin"),
  target: search.get("target"),
});

/** The same as an address says it. */
export function laidQuery({ overlay, pins, target }: Laid): URLSearchParams {
  const query = new URLSearchParams(overlay.map((o) => ["overlay", String(o)]));
  for (const p of pins) query.append("pin", p);
  if (target) query.set("target", target);
  return query;
}

export const platesQuery = (review: number, setup: number, measurement: string, laid: Laid) =>
  queryOptions({
    queryKey: ["plates", review, setup, measurement, laid],
    queryFn: () =>
      got(
        api.GET("/api/v1/reviews/{review}/plates/{setup}/{measurement}", {
          params: {
            path: { review, setup, measurement },
            query: { overlay: laid.overlay, pin: laid.pins, target: laid.target },
          },
        }),
      ),
  });

export function usePlates(review: number, setup: number, measurement: string, laid: Laid, enabled = true) {
  return useQuery({
    ...platesQuery(review, setup, measurement, laid),
    placeholderData: (previous) => (previous?.measurement === measurement ? previous : undefined),
    enabled,
  });
}

export const useReadings = (review: number, setup: number, measurement: string) =>
  useQuery({
    queryKey: ["readings", review, setup, measurement],
    queryFn: () =>
      got(
        api.GET("/api/v1/reviews/{review}/setups/{setup}/readings/{measurement}", {
          params: { path: { review, setup, measurement } },
        }),
      ),
  });
