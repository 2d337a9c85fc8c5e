import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";

export const targetsQuery = queryOptions({ queryKey: ["targets"], queryFn: () => got(api.GET("/api/v1/targets")) });

export const useTargets = () => useQuery(targetsQuery);
