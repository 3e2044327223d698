import { chakra } from "@chakra-ui/react";
import { points } from "../lib/format";

/** The course of health over the last crawls, by its own range of at least ten points. */
export function Course({ of }: { of: number[] }) {
  if (of.length < 2) return null;
  const [width, height] = [84, 22];
  const least = Math.min(...of);
  const most = Math.max(...of);
  const span = Math.max(10, most - least);
  const low = (least + most) / 2 - span / 2;
  const x = (i: number) => 2 + (i * (width - 4)) / (of.length - 1);
  const y = (h: number) => height - 2 - ((h - low) / span) * (height - 4);
  const last = of.length - 1;
  return (
    <chakra.svg
      width={`${width}px`}
      height={`${height}px`}
      role="img"
      aria-label={`health over the last ${of.length} crawls: ${of.map(points).join(", ")}`}
      color="accent"
      display="inline-block"
      verticalAlign="middle"
    >
      <polyline
        points={of.map((h, i) => `${x(i)},${y(h)}`).join(" ")}
        fill="none"
        stroke="currentColor"
        strokeWidth="1.5"
      />
      <circle cx={x(last)} cy={y(of[last] ?? 0)} r="2.2" fill="currentColor" />
    </chakra.svg>
  );
}
