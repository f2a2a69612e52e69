// Lines drawn by hand: what a pointer passed, thinned without losing its shape. Units are millimetres.

// A mark's own name within its drawing, so that a photo can be of it.
export const newName = () => crypto.getRandomValues(new Uint32Array(1))[0].toString(36);

export const rounded = (value) => Math.round(value * 10) / 10;

// Every place a pointer passed since the last event: a slow browser hands over several at once.
export function passed(event) {
  const between = event.getCoalescedEvents ? event.getCoalescedEvents() : [];
  return between.length ? between : [event];
}

function away(point, a, b) {
  // distance to the piece between a and b, not to the endless line through them: a line may close on itself
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const along = ((point[0] - a[0]) * dx + (point[1] - a[1]) * dy) / (dx * dx + dy * dy || 1);
  const t = Math.min(Math.max(along, 0), 1);
  return Math.hypot(point[0] - a[0] - t * dx, point[1] - a[1] - t * dy);
}

// Douglas–Peucker: drop points that lie within the tolerance of the straight piece between their neighbours.
export function simplified(points, tolerance) {
  if (points.length < 3) return points;
  const [a, b] = [points[0], points[points.length - 1]];
  let [worst, at] = [0, 0];
  for (let i = 1; i < points.length - 1; i++) {
    const distance = away(points[i], a, b);
    if (distance > worst) [worst, at] = [distance, i];
  }
  if (worst <= tolerance) return [a, b];
  const [before, after] = [points.slice(0, at + 1), points.slice(at)];
  return simplified(before, tolerance).slice(0, -1).concat(simplified(after, tolerance));
}
