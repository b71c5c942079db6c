import { useState } from "react";
import type { Search } from "../../api/client";
import { useFront, useRandomFront } from "../../api/searches";
import { Plot } from "../../charts/Plot";
import { FrontPlot } from "../../charts/FrontPlot";
import { useWidth } from "../../charts/useWidth";
import { pathOf } from "../../charts/plotLayout";
import { percent, plural } from "../../lib/format";
import { Switch } from "../../ui/Switch";

interface Props {
  search: Search;
  height: number;
  inspect: (id: number) => void;
}

type Course = number[][]; // scored trials, share

/** Where several metrics decide: the front, and how much it covers from trial to trial beside what random draws would. */
export function FrontGrowing({ search, height, inspect }: Props) {
  const front = useFront(search.id).data;
  const random = useRandomFront(search.id, front?.scored ?? 0).data;
  const [box, width] = useWidth();
  const aims = front?.aims ?? [];
  const pairs = aims.flatMap((_, i) => aims.slice(i + 1).map((_, j): [number, number] => [i + 1 + j, i]));
  const names = pairs.map(([across, up]) => `${aims[up]!.measure} × ${aims[across]!.measure}`);
  const [chosen, setChosen] = useState(0);
  if (!front) return <p className="soft">Drawing …</p>;
  if (front.reference === null)
    return (
      <p className="soft centred nothing-yet">
        {front.scored > 0 && search.limits.length > 0
          ? "No scored trial keeps the limits yet: the search looks for what does."
          : "The front begins with the first scored trial."}
      </p>
    );
  const wide = width > 560;
  const left = wide ? Math.round(width * 0.62) : width;
  return (
    <div
      ref={box}
      className="row top wrap near"

      data-front={front.points.filter((p) => p.on_front).length}
    >
      {width > 0 && (
        <>
          <div style={{ width: left }}>
            {pairs.length > 1 && (
              <Switch
                label="Axes"
                options={names}
                value={names[chosen]!}
                onChange={(name) => setChosen(names.indexOf(name))}
              />
            )}
            <FrontPlot front={front} axes={pairs[chosen]!} width={left} height={height} onPick={inspect} />
          </div>
          {wide && (
            <Covered course={front.course} random={random?.course ?? []} width={width - left - 10} height={height} />
          )}
        </>
      )}
    </div>
  );
}

/** The share of the volume between reference point and the best of each metric, after so many scored trials. */
function Covered({ course, random, width, height }: { course: Course; random: Course; width: number; height: number }) {
  const last = course.at(-1)!;
  const by = random.at(-1);
  const ends = { low: 0, high: Math.max(last[0]!, 2) };
  return (
    <div style={{ width }}>
      <Plot
        width={width}
        height={height}
        across="scored trials"
        up="covered"
        x={ends}
        y={{ low: 0, high: 1 }}
        label={`The front covers ${percent(last[1]!)} after ${plural(last[0]!, "trial")}`}
      >
        {({ x, y }) => (
          <>
            <path
              d={pathOf(random.map(([count, share]): [number, number] => [x(count!), y(share!)]))}
              fill="none"
              stroke="var(--soft)"
              strokeDasharray="4 3"
              strokeWidth={1.4}
            />
            <path
              d={pathOf(stepped(course).map(([count, share]): [number, number] => [x(count!), y(share!)]))}
              fill="none"
              stroke="var(--spruce)"
              strokeWidth={2.2}
            />
          </>
        )}
      </Plot>
      <p className="small soft from-axis" data-covered={last[1]}>
        <b className="spruce">{percent(last[1]!)}</b>
        {by && (
          <span title="Of as many random draws from this space, as models of these trials expect it; extremes are rather told too small.">
            ; random draws about {percent(by[1]!)}
          </span>
        )}
      </p>
    </div>
  );
}

/** Between rises nothing is gained. */
const stepped = (course: Course): Course =>
  course.flatMap((point, i): Course => (i ? [[point[0]!, course[i - 1]![1]!], point] : [point]));
