// How much of something is done, or spent.

export function Bar({ share, label }: { share: number; label: string }) {
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={Math.round(share * 100)}
      className="h-[9px] overflow-hidden rounded-full bg-line/70"
    >
      <div className="bars h-full rounded-full" style={{ width: `${Math.min(100, share * 100)}%` }} />
    </div>
  );
}
