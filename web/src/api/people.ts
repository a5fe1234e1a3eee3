import { queryOptions } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

export const peopleQuery = queryOptions({ queryKey: ["people"], queryFn: () => take(api.GET("/api/people")) });

/** What happened beside the book. */
export const journalQuery = queryOptions({ queryKey: ["journal"], queryFn: () => take(api.GET("/api/journal")) });

export const addPerson = (body: Schema["NewPerson"]) => take(api.POST("/api/people", { body }));

export const changePerson = (name: string, body: Schema["PersonForm"]) =>
  take(api.PUT("/api/people/{name}", { params: { path: { name } }, body }));
