/* Which of some points an arrow leads to: ahead in its direction, and what lies aside counts three times as
   far. -1 where none lies ahead. */
const ALONG = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const ASIDE = 3;

export const nearestAlong = (key, from, points) => {
  const [x, y] = ALONG[key];
  let best = -1,
    least = Infinity;
  points.forEach((point, i) => {
    const dx = point.x - from.x,
      dy = point.y - from.y;
    const ahead = dx * x + dy * y,
      far = ahead + ASIDE * (Math.abs(dx * y) + Math.abs(dy * x));
    if (ahead > 1 && far < least) {
      least = far;
      best = i;
    }
  });
  return best;
};
