/** How the graph's plates and lines are drawn: paths from places. */
import type { NodeRole } from '@vondle/core/routing';
import type { Layout } from '../workers/views.ts';

type Point = { x: number; y: number };

/** A line through points: straight where they are level, a level-to-level curve where they are not. */
export function linePath(points: readonly Point[]): string {
  const [first, ...rest] = points;
  if (!first) return '';
  if (isCornered(points)) return corneredPath(points);
  let path = `M${first.x} ${first.y}`;
  let before = first;
  for (const point of rest) {
    if (Math.abs(point.y - before.y) < 0.5) path += `L${point.x} ${point.y}`;
    else {
      const half = (point.x - before.x) / 2;
      path += `C${before.x + half} ${before.y} ${point.x - half} ${point.y} ${point.x} ${point.y}`;
    }
    before = point;
  }
  return path;
}

function isCornered(points: readonly Point[]): boolean {
  return points.some(
    (point, i) => i > 0 && Math.abs(point.x - points[i - 1]!.x) < 0.5 && point.y !== points[i - 1]!.y,
  );
}

/** Straight pieces with rounded corners, for lines that run in corridors. */
function corneredPath(points: readonly Point[]): string {
  let path = `M${points[0]!.x} ${points[0]!.y}`;
  for (let i = 1; i < points.length - 1; i++) {
    const [a, b, c] = [points[i - 1]!, points[i]!, points[i + 1]!];
    const before = Math.hypot(b.x - a.x, b.y - a.y);
    const after = Math.hypot(c.x - b.x, c.y - b.y);
    const radius = Math.min(10, before / 2, after / 2);
    if (radius < 1) {
      path += `L${b.x} ${b.y}`;
      continue;
    }
    const enter = { x: b.x + ((a.x - b.x) / before) * radius, y: b.y + ((a.y - b.y) / before) * radius };
    const leave = { x: b.x + ((c.x - b.x) / after) * radius, y: b.y + ((c.y - b.y) / after) * radius };
    path += `L${enter.x} ${enter.y}Q${b.x} ${b.y} ${leave.x} ${leave.y}`;
  }
  const last = points.at(-1)!;
  return `${path}L${last.x} ${last.y}`;
}

/** The outline of a plate by role, so that roles are told apart without colour. */
export function platePath(role: NodeRole | 'broker', { width: w, height: h }: Layout['plate']): string {
  switch (role) {
    case 'publisher':
      // points on
      return `M0 0H${w - 12}L${w} ${h / 2}L${w - 12} ${h}H0Z`;
    case 'taker':
      // notched where what it takes comes in
      return `M0 0H${w}V${h}H0L9 ${h / 2}Z`;
    case 'queue':
    case 'subscription':
      return `M3 0H${w - 3}Q${w} 0 ${w} 3V${h - 3}Q${w} ${h} ${w - 3} ${h}H3Q0 ${h} 0 ${h - 3}V3Q0 0 3 0Z`;
    case 'broker':
      // folded: a sheet over another
      return `M0 5H${w - 5}V${h}H0ZM5 5V0H${w}V${h - 5}H${w - 5}`;
    default:
      // entries and inner routing are round
      return `M${h / 2} 0H${w - h / 2}A${h / 2} ${h / 2} 0 0 1 ${w - h / 2} ${h}H${h / 2}A${h / 2} ${h / 2} 0 0 1 ${h / 2} 0Z`;
  }
}

/** Where a barrier stands on a refused line: short of its end, square to it. */
export function barrierAt(points: readonly Point[]): Point {
  const last = points.at(-1)!;
  return { x: last.x - 8, y: last.y };
}
