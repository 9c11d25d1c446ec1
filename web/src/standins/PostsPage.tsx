// The notice board: posts pinned as the host shows them, with what it did to each.

import { data } from "../api/client";
import { size } from "../format";
import { Button, Mark } from "../ui/controls";
import { api, type Post } from "./api";
import type { Device } from "./parts";

export function PostsPage({ device }: { device: Device<Post[]> }) {
  const { now: posts, act } = device;
  if (!posts) return <p>Asking the board…</p>;
  if (posts.length === 0)
    return (
      <p className="rounded-[4px] bg-card px-4 py-8 text-center text-ink-2 shadow-md">
        Nothing is pinned here yet. A post is one file of up to 5 MB; what is wider than 600 pixels is shrunk.
      </p>
    );
  return (
    <ul aria-label="Posts" className="columns-2 gap-4 [column-fill:balance]">
      {posts.map((post, index) => (
        <li
          key={post.number}
          className={`relative mb-4 flex break-inside-avoid flex-col gap-1.5 rounded-[3px] bg-card px-3 pt-5 pb-3 shadow-md ${index % 2 ? "rotate-[0.4deg]" : "-rotate-[0.4deg]"}`}
        >
          <span
            aria-hidden
            className="absolute top-1.5 left-1/2 size-2.5 -translate-x-1/2 rounded-full bg-stop shadow"
          />
          {post.media_type === "video/mp4" ? (
            <video
              src={post.url}
              autoPlay
              loop
              muted
              playsInline
              aria-label={post.title}
              className="max-w-full"
            />
          ) : (
            <img src={post.url} alt={post.title} className="mx-auto max-w-full" />
          )}
          <span className="flex items-baseline gap-2">
            <b className="min-w-0 truncate">{post.title}</b>
            <span className="grow" />
            <span className="figure text-xs text-ink-2">
              {post.shown.width > 0 && `${post.shown.width} × ${post.shown.height}, `}
              {size(post.shown.bytes)}
            </span>
            <Button
              look="quiet"
              className="h-[24px]! px-1.5!"
              onClick={() =>
                void act(async () => {
                  await data(api.DELETE("/api/posts/{number}", { params: { path: { number: post.number } } }));
                  return data<Post[]>(api.GET("/api/posts"));
                })
              }
            >
              Take down
            </Button>
          </span>
          {post.remarks.map((remark) => (
            <span key={remark} className="text-ink-2">
              <Mark verdict="look" word="" /> {remark}
            </span>
          ))}
        </li>
      ))}
    </ul>
  );
}
