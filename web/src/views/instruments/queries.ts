import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const instrumentsQuery = queryOptions({
  queryKey: ["instruments"],
  queryFn: () => got(api.GET("/api/v1/instruments")),
  refetchInterval: (query) => (query.state.data?.attempt?.step === "reading" ? 300 : false),
});

export const useInstruments = () => useQuery(instrumentsQuery);
