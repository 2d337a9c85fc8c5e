import { useMutation, useQueryClient } from "@tanstack/react-query";

/** A change on the server; what it touches is read anew. */
export function useAct<T, V = void>(act: (value: V) => Promise<T>, touched: string[] = []) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const key of touched) client.invalidateQueries({ queryKey: [key] });
    },
  });
}
