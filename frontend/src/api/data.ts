import { useQuery } from "@tanstack/react-query";
import { api, settled, type Schemas } from "./client";
import { keys } from "./keys";

export const useData = (hash: string | null) =>
  useQuery({
    queryKey: keys.data(hash ?? ""),
    enabled: hash !== null,
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/data/{content_hash}", { params: { path: { content_hash: hash! } } })),
  });

export const useDataList = () => useQuery({ queryKey: keys.dataList, queryFn: () => settled(api.GET("/api/v1/data")) });

export const readAgain = (hash: string, body: Schemas["ReadingRequest"]) =>
  settled(api.POST("/api/v1/data/{content_hash}/readings", { params: { path: { content_hash: hash } }, body }));

export const importProgress = (token: string) =>
  settled(api.GET("/api/v1/imports/{token}", { params: { path: { token } } }));
