import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Webhook = Schemas["Webhook"];
export type Delivery = Schemas["Delivery"];

export function useWebhooks(title: string) {
  return useQuery({
    queryKey: ["webhooks", title],
    queryFn: () => call<Schemas["Webhooks"]>(`/titles/${title}/webhooks`),
    refetchInterval: 5_000,
  });
}

export function useDeliveries(title: string, name: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["webhooks", title, name, query.toString()],
    queryFn: () => call<Schemas["Page_Delivery_"]>(`/titles/${title}/webhooks/${name}/deliveries?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 5_000,
  });
}

/** A change of webhooks: all lists of them are asked again. */
export function useWebhookAct<Said, Answered>(title: string, send: (said: Said) => Promise<Answered>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries({ queryKey: ["webhooks", title] }) });
}
