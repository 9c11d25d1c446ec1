// Another project's frames put behind this one's: merging by hand.

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, data, type ProjectCard } from "../../api/client";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import type { Bench } from "../edits";

export function Join({ bench }: { bench: Bench }) {
  const { id } = bench.project;
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => data<ProjectCard[]>(api.GET("/api/projects")),
  });
  const others = shelf.data?.filter((project) => project.id !== id) ?? [];
  const [wish, setWish] = useState("");
  const chosen = others.find((project) => project.id === wish);
  if (others.length === 0) return null;
  return (
    <div className="flex flex-col gap-1.5 border-t border-line pt-2.5">
      <h3 className="font-semibold">Append a project</h3>
      <p className="text-xs text-ink-2">Its frames come after these; it stays as it is.</p>
      <span className="flex gap-1.5">
        <select
          aria-label="Project to append"
          value={chosen ? wish : ""}
          onChange={(event) => setWish(event.target.value)}
          className="h-[30px] min-w-0 grow rounded-[7px] border border-line bg-card px-2 text-ink"
        >
          <option value="">Choose a project</option>
          {others.map((project) => (
            <option key={project.id} value={project.id}>
              {project.name}, {count(project.frames, "frame")}
            </option>
          ))}
        </select>
        <Button disabled={!chosen} onClick={() => void bench.join(wish)}>
          Append
        </Button>
      </span>
    </div>
  );
}
