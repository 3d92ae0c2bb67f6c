import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Ending = Schemas["EndingOut"];

export function useCalendar() {
  return useQuery({ queryKey: ["calendar"], queryFn: () => call<Schemas["CalendarOut"]>("/calendar") });
}

/** A change of the calendar: it is asked again. */
export function useCalendarAct<Said, Made>(send: (said: Said) => Promise<Made>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries({ queryKey: ["calendar"] }) });
}
