// Where a project's frames lie, when they were opened in place, and how that stands.

import { keepPreviousData, useQuery } from "@tanstack/react-query";
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
    placeholderData: keepPreviousData,
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
      text: "The folder was moved, renamed or unmounted. The project has all its frames.",
    };
  if (state === "refused")
    return { verdict: "stop", word: "not readable", text: "Its permissions do not let Jay Flick read it." };
  if (state === "apart")
    return {
      verdict: "look",
      word: "apart",
      text: "The project shows none of the frames in it: they were cut, made or replaced.",
    };
  if (state === "closed")
    return {
      verdict: "look",
      word: "not open",
      text: "Jay Flick was started without it: ./start --frames FOLDER opens a folder and all in it.",
    };
  if (source.problem) return { verdict: "stop", word: "not taken in", text: source.problem.message };
  const open =
    waiting.length > 0
      ? ` ${waiting[0] ?? ""}${waiting.length > 1 ? ` and ${waiting.length - 1} more` : ""} still being written.`
      : "";
  if (source.busy)
    return { verdict: "busy", word: "reading", text: `${count(newer + added, "frame")} on the way in.${open}` };
  if (follows && source.stalled)
    return {
      verdict: "look",
      word: "still",
      text: `${count(usable, "frame")}; none came since ${ago(source.arrived, now)}.${open}`,
    };
  if (follows)
    return {
      verdict: "busy",
      word: "following",
      text: `${usable} so far, the last ${ago(source.arrived, now)}.${open}`,
    };
  if (newer + added > 0)
    return { verdict: "look", word: `${newer + added} newer`, text: newerInWords(source) + open };
  const gone = lacking > 0 ? ` ${count(lacking, "frame")} of the project no longer there.` : "";
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
