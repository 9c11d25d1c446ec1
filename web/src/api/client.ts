// The service's API, typed from its OpenAPI document.

import createClient from "openapi-fetch";
import { sentence } from "../format";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type ProjectCard = Schemas["ProjectCard"];
export type BinnedProject = Schemas["BinnedProject"];
export type ProjectInfo = Schemas["ProjectInfo"];
export type FrameSet = Schemas["FrameSetInfo"];
/** A project on the bench with its frames, which are fetched once. */
export type Project = ProjectInfo & { frame_list: FrameSet["frames"]; report: FrameSet["report"] };
export type ResultInfo = Schemas["ResultInfo"];
export type LikenessInfo = Schemas["LikenessInfo"];
export type SearchInfo = Schemas["SearchInfo"];
export type TrialInfo = Schemas["TrialInfo"];
export type TrialsInfo = Schemas["TrialsInfo"];
export type TrialFile = Schemas["TrialFile"];
export type JobInfo = Schemas["JobInfo"];
export type FrameInfo = Schemas["FrameInfo"];
export type Problem = Schemas["Problem"];
export type Renewed = Schemas["Renewed"];
export type Health = Schemas["Health"];
export type Limits = Schemas["Limits"];
export type Storage = Schemas["Storage"];
export type FileTaken = Schemas["FileTaken"];
export type ClipInfo = Schemas["ClipInfo"];
export type ImportStarted = Schemas["ImportStarted"];
export type ImportReport = Schemas["ImportReport"];
export type Choice = Schemas["Choice"];
export type Report = Schemas["Report"];
export type ImportDone = Schemas["ImportDone"];
export type FolderInfo = Schemas["FolderInfo"];
export type OpenInPlace = Schemas["OpenInPlace"];
export type OpenedInPlace = Schemas["OpenedInPlace"];
export type SourceInfo = Schemas["SourceInfo"];
export type SourceMatch = Schemas["SourceMatch"];
export type Recipe = Schemas["Recipe-Output"];
export type PlanInfo = Schemas["PlanInfo"];
export type SettingsInfo = Schemas["SettingsInfo"];
export type TrimInfo = Schemas["TrimInfo"];
export type SteadyInfo = Schemas["SteadyInfo"];
export type FoundMove = Schemas["FoundMove"];
export type LevelsInfo = Schemas["LevelsInfo"];
export type SheetInfo = Schemas["SheetInfo"];
export type SeamInfo = Schemas["SeamInfo"];
export type Output = Recipe["outputs"][number];
export type Target = Schemas["Target-Output"];
export type CheckInfo = Schemas["CheckInfo"];
export type TargetInfo = Schemas["TargetInfo"];
export type HandoffInfo = Schemas["HandoffInfo"];
export type BroadcastInfo = Schemas["BroadcastInfo"];
export type DeliveryInfo = Schemas["DeliveryInfo"];
export type TableRow = Schemas["TableRow"];
export type TableCell = Schemas["TableCell"];
export type BatchInfo = Schemas["BatchInfo"];
export type BatchRequest = Schemas["BatchRequest"];
export type BatchOutlook = Schemas["BatchOutlook"];
export type ProjectNotes = Schemas["ProjectNotes"];
export type StandInInfo = Schemas["StandInInfo"];

export const api = createClient<paths>({ baseUrl: "/" });

/** A refusal by the service, or no answer at all (`lost`). */
export class ApiError extends Error {
  constructor(
    readonly problem: Problem,
    readonly status: number,
  ) {
    super(describeProblem(problem));
  }
  /** Whether trying the same thing again may work: nobody answered, it took too long, or there is too much to do. */
  get passing(): boolean {
    return [0, 408, 503].includes(this.status);
  }
}

export function describeProblem(problem: Pick<Problem, "message" | "file" | "remedy">): string {
  const what = problem.file ? `${problem.file}: ${problem.message}` : problem.message;
  return problem.remedy ? `${what}. ${sentence(problem.remedy)}.` : what;
}

const LOST: Problem = {
  kind: "lost",
  message: "the service does not answer",
  file: null,
  remedy: "check that ./start is still running",
};

/**
 * The data of an answer, or an `ApiError` thrown. The type is named by the caller: the client library turns
 * the document's fixed-length lists into open ones on the way.
 */
export async function data<T = void>(
  answer: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  let settled;
  try {
    settled = await answer;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(LOST, 0);
  }
  if (!settled.response.ok) {
    const problem = settled.error as Problem | undefined;
    throw new ApiError(
      problem?.message ? problem : { ...LOST, message: `the service answered ${settled.response.status}` },
      settled.response.status,
    );
  }
  return settled.data as T;
}

/** What names the files of a result, or of a trial. */
export interface Filed {
  id: number;
  key: string;
  trial?: true;
}

/** What was made of an output, and can be played: a result, or a trial. */
export type Made = Pick<ResultInfo, "id" | "key" | "info" | "at"> & { trial?: true };

const placeOf = ({ trial, id }: Filed) => `/api/${trial ? "trials" : "results"}/${id}`;
// The key in an address keeps apart what other data under the same numbers would answer.
export const fileUrl = (made: Filed) => `${placeOf(made)}/file?key=${made.key}`;
/** One of the files of an output that is a folder of them. */
export const oneFileUrl = (made: Filed, number: number) => `${placeOf(made)}/files/${number}?key=${made.key}`;
export const playedFrameUrl = (made: Filed, index: number) =>
  `${placeOf(made)}/frames/${index}?key=${made.key}`;
export const printsUrl = (projectId: string, frameSet: number, page: number) =>
  `/api/projects/${projectId}/frames/${frameSet}/prints/${page}`;
export const clipFrameUrl = (importId: string, clip: string, number: number) =>
  `/api/imports/${importId}/clips/${clip}/frames/${number}`;
/** A source frame as a whole, no larger than a screen. */
export const viewUrl = (picture: string) => `/api/pictures/${picture}/view`;
export const thumbUrl = (picture: string) => `/api/pictures/${picture}/thumb`;
/** A step's source. */
export const sourceUrl = (result: ResultInfo, shot: string) =>
  `/api/revisions/${result.revision_id}/outputs/${result.output_id}/source/${shot}?key=${result.sources}`;
