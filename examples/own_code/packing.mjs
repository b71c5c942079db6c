// Ten lines of Node with a score: how full a made-up lorry is when pallets are packed by a rule with three weights.
//   pellux run examples/own_code/packing.yaml
const [wide, high, heavy, fold] = process.argv.slice(2).map(Number);
let seed = 41 + fold;
const draw = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
const pallets = Array.from({ length: 400 }, () => ({ w: 0.4 + draw(), h: 0.3 + draw(), kg: 50 + 600 * draw() }));
pallets.sort((a, b) => wide * (b.w - a.w) + high * (b.h - a.h) + (heavy * (a.kg - b.kg)) / 600);
let [room, left, packed] = [60, 18000, 0];
for (const { w, h, kg } of pallets) if (w * h <= room && kg <= left) [room, left, packed] = [room - w * h, left - kg, packed + 1];
console.log(JSON.stringify({ packed, room: Math.round(room * 100) / 100 }));
