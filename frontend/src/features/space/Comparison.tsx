import { useState } from "react";
import type { Search } from "../../api/client";
import { useComparison } from "../../api/planning";
import { configurations } from "../../lib/format";

interface Props {
  searches: Search[];
  text: string;
  learner: string;
  ready: boolean;
}

const SIGNS = { same: "=", changed: "→", added: "+", removed: "−" };
const COLOURS = { same: "var(--soft)", changed: "var(--honey-ink)", added: "var(--spruce)", removed: "var(--ember)" };

/** What differs between a search's space and another one, or the space on the lanes. */
export function Comparison({ searches, text, learner, ready }: Props) {
  const own = searches.filter((s) => s.learner === learner);
  const [one, setOne] = useState("");
  const [other, setOther] = useState("lanes");
  const textOf = (key: string) => (key === "lanes" ? text : own.find((s) => String(s.id) === key)?.space);
  const [before, after] = [textOf(one), textOf(other)];
  const wanted = before !== undefined && after !== undefined && one !== "" && (other !== "lanes" || ready);
  const found = useComparison(before ?? "", after ?? "", wanted);
  if (own.length === 0) return null;
  const changes = found.data?.changes.filter((c) => c.what !== "same") ?? [];
  return (
    <section className="col small close" aria-label="Compare spaces">
      <div className="row wrap">
        <span className="soft">Compare</span>
        <select aria-label="First space" value={one} onChange={(event) => setOne(event.target.value)}>
          <option value="">choose a search</option>
          {own.map((s) => (
            <option key={s.id} value={String(s.id)}>
              search {s.number}
            </option>
          ))}
        </select>
        <span className="soft">with</span>
        <select aria-label="Second space" value={other} onChange={(event) => setOther(event.target.value)}>
          <option value="lanes">these lanes</option>
          {own.map((s) => (
            <option key={s.id} value={String(s.id)}>
              search {s.number}
            </option>
          ))}
        </select>
      </div>
      {found.error && (
        <p role="alert" className="ember">
          {found.error.message}
        </p>
      )}
      {one !== "" && found.data && (
        <div className="sheet strip" data-comparison>
          {changes.length === 0 && <span className="soft">The two spaces are the same.</span>}
          {changes.map((c) => (
            <div key={`${c.name} ${c.before} ${c.after}`} className="mono">
              <b style={{ color: COLOURS[c.what] }}>
                {SIGNS[c.what]} {c.name === "require" ? "" : `${c.name}: `}
              </b>
              {c.before !== null && <span className={c.after === null ? "" : "soft"}>{c.before}</span>}
              {c.before !== null && c.after !== null && " → "}
              {c.after !== null && <span>{c.after}</span>}
            </div>
          ))}
          {found.data.configurations_before !== null && found.data.configurations_after !== null && (
            <p className="soft">
              {configurations(found.data.configurations_before)} → {configurations(found.data.configurations_after)}
            </p>
          )}
        </div>
      )}
    </section>
  );
}
