// A stand-in's API, typed from the OpenAPI document of all of them.

import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type Status = Schemas["Status"];
export type Intake = Schemas["Intake"];
export type Answer = Schemas["Answer"];
export type Desk = Schemas["Desk"];
export type MemoryInfo = Schemas["MemoryInfo"];
export type Overlay = Schemas["Overlay"];
export type Board = Schemas["Board"];
export type Page = Schemas["Page"];
export type Placed = Schemas["Placed"];
export type TextLine = Schemas["TextField"];
export type Post = Schemas["Post"];
export type Plane = Schemas["Plane"];

export const api = createClient<paths>({ baseUrl: "/" });

/** Shown inside the program: without what the program itself does. */
export const bare = new URLSearchParams(location.search).has("bare");
