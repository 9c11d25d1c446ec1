// Where a project's frames lie, when they were opened in place, and how that stands.

import { useQuery } from "@tanstack/react-query";
import { api, data, type Project, type SourceInfo } from "../api/client";
import { ago, count } from "../format";
import type { Verdict } from "../ui/controls";

/** After so many ms it is asked whether a render that is followed has stopped. */
const AGAIN = 20_000;

/** Its source folder; null when it has none, or while that is not known yet. */
export function useSource({ id, frame_set }: Pick<Project, "id" | "frame_set">): SourceInfo | null {
  const source = useQuery({
    queryKey: ["source", id, frame_set],
    queryFn: () =>
      data<SourceInfo | null>(
        api.GET("/api/projects/{project_id}/folder", { params: { path: { project_id: id } } }),
      ),
    // Another project's are no stand-in.
    placeholderData: (last, query) => (query?.queryKey[1] === id ? last : undefined),
    refetchInterval: ({ state }) => (state.data?.follows ? AGAIN : false),
  });
  return source.data ?? null;
}

/** Whether frames are still expected: a gap is none yet. */
export const isRendering = (source: SourceInfo | null) =>
  source !== null && source.follows && source.state === "here" && !source.stalled;

export interface SourceStanding {
  verdict: Verdict;
  word: string;
  text: string;
}

export function standingOf(source: SourceInfo, now: number): SourceStanding {
  const usable = source.count - source.unusable.length;
  const { state, newer, added, follows, waiting, lacking } = source;
  if (state === "gone")
    return {
      verdict: "stop",
      word: "not there",
      text: "The folder was moved, renamed or unmounted. The project still has all its frames.",
    };
  if (state === "refused")
    return { verdict: "stop", word: "not readable", text: "Its permissions do not let Jay Flick read it." };
  if (state === "apart")
    return {
      verdict: "look",
      word: "unrelated",
      text: "None of the project's frames come from this folder any more: they were cut, generated or replaced.",
    };
  if (state === "closed")
    return {
      verdict: "look",
      word: "no access",
      text: "Jay Flick was started without access to it: start it with --frames and this folder.",
    };
  if (source.problem) return { verdict: "stop", word: "not brought in", text: source.problem.message };
  const open =
    waiting.length > 0
      ? ` ${waiting[0] ?? ""}${waiting.length > 1 ? ` and ${waiting.length - 1} more` : ""} still being written.`
      : "";
  if (source.busy)
    return { verdict: "busy", word: "reading", text: `${count(newer + added, "frame")} being read.${open}` };
  if (follows && source.stalled)
    return {
      verdict: "look",
      word: "stalled",
      text: `${count(usable, "frame")}; the last came ${ago(source.arrived, now)}.${open}`,
    };
  if (follows)
    return {
      verdict: "busy",
      word: "following",
      text: `${usable} so far; the last came ${ago(source.arrived, now)}.${open}`,
    };
  if (newer + added > 0)
    return { verdict: "look", word: `${newer + added} newer`, text: newerInWords(source) + open };
  const gone = lacking > 0 ? ` ${count(lacking, "frame")} of the project no longer in the folder.` : "";
  return {
    verdict: "fine",
    word: "up to date",
    text: `${count(usable, "frame")} there, all as in the project.${gone}${open}`,
  };
}

const newerInWords = ({ newer, added }: SourceInfo) =>
  [newer > 0 ? `${count(newer, "frame")} changed` : "", added > 0 ? `${added} new` : ""]
    .filter(Boolean)
    .join(", ") + ".";
