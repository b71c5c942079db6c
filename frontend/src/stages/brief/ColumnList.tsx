import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Column, Data } from "../../api/client";
import { count, figure, percent } from "../../lib/format";
import { Histogram } from "../../marks/Histogram";
import type { BriefForm } from "./briefForm";

interface Props {
  data: Data;
  form: BriefForm;
  change?: (part: Partial<BriefForm>) => void; // absent: to be read only
}

const ROW = 46;
export type Role = "target" | "feature" | "ignore";

/** Columns with type, missing share, small histogram and role. Thousands of them are fine: only what is seen is drawn. */
export function ColumnList({ data, form, change }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: data.columns.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  return (
    <div className="sheet" role="table" aria-label="Columns" aria-rowcount={data.columns.length}>
      <div ref={scroller} style={{ overflow: "auto", maxHeight: "calc(100vh - 246px)" }}>
        <div
          role="row"
          className="small soft"
          style={{
            ...grid,
            height: 30,
            position: "sticky",
            top: 0,
            zIndex: 1,
            background: "var(--sunk)",
            borderBottom: "1px solid var(--rule)",
          }}
        >
          <span role="columnheader">Column</span>
          <span role="columnheader">Distribution</span>
          <span role="columnheader">Missing</span>
          <span role="columnheader">Role</span>
        </div>
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {rows.getVirtualItems().map((item) => {
            const column = data.columns[item.index]!;
            return (
              <div
                key={column.name}
                role="row"
                aria-rowindex={item.index + 1}
                data-column={column.name}
                style={{
                  ...grid,
                  position: "absolute",
                  top: 0,
                  left: 0,
                  right: 0,
                  height: ROW,
                  transform: `translateY(${item.start}px)`,
                  borderBottom: "1px solid var(--rule)",
                }}
              >
                <Row
                  column={column}
                  rows={data.rows}
                  role={roleOf(column, form)}
                  onRole={change && ((role) => change(withRole(form, column.name, role)))}
                />
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

const grid = {
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) 130px 62px 190px",
  alignItems: "center",
  gap: 12,
  padding: "0 12px",
} as const;

function roleOf(column: Column, form: BriefForm): Role {
  if (column.name === form.target) return "target";
  return form.ignored.includes(column.name) ? "ignore" : "feature";
}

function withRole(form: BriefForm, name: string, role: Role): Partial<BriefForm> {
  const ignored = form.ignored.filter((other) => other !== name);
  if (role === "target") return { target: name, ignored, metric: "", positive: "", kind: "" };
  const target = form.target === name ? "" : form.target;
  return { target, ignored: role === "ignore" ? [...ignored, name] : ignored };
}

function Row({
  column,
  rows,
  role,
  onRole,
}: {
  column: Column;
  rows: number;
  role: Role;
  onRole: ((role: Role) => void) | undefined;
}) {
  const words =
    column.type === "number"
      ? column.low === null
        ? "no values"
        : `${figure(column.low)} to ${figure(column.high!)}`
      : `${column.type === "text" && column.distinct > 1000 ? "over 1 000" : count(column.distinct)} ${column.distinct === 1 ? "value" : "values"}`;
  return (
    <>
      <span role="cell" style={{ minWidth: 0 }}>
        <span
          className="cut"
          style={{
            display: "block",
            fontWeight: role === "target" ? 700 : 500,
            color: role === "ignore" ? "var(--soft)" : undefined,
          }}
          title={column.name}
        >
          {column.name}
        </span>
        <span className="small soft cut" style={{ display: "block" }}>
          {column.type}, {words}
          {column.why && ` · left out: ${column.why}`}
        </span>
      </span>
      <span role="cell">
        <Histogram column={{ ...column, role: role === "ignore" ? "ignore" : "feature" }} />
      </span>
      <span role="cell" className="small" style={{ color: column.missing ? "var(--honey)" : "var(--soft)" }}>
        {column.missing ? percent(column.missing / rows) : "none"}
      </span>
      <span role="cell">
        {onRole ? (
          <RolePicker name={column.name} role={role} usable={column.type !== "text"} onRole={onRole} />
        ) : (
          <span className="tag">{role}</span>
        )}
      </span>
    </>
  );
}

function RolePicker({
  name,
  role,
  usable,
  onRole,
}: {
  name: string;
  role: Role;
  usable: boolean;
  onRole: (role: Role) => void;
}) {
  return (
    <span
      role="radiogroup"
      aria-label={`Role of ${name}`}
      style={{ display: "inline-flex", border: "1px solid var(--rule)", borderRadius: 6, overflow: "hidden" }}
    >
      {(["target", "feature", "ignore"] as const).map((option) => {
        const on = option === role;
        const back = on
          ? option === "target"
            ? "var(--honey-tint)"
            : option === "feature"
              ? "var(--spruce-tint)"
              : "var(--sunk)"
          : undefined;
        return (
          <button
            key={option}
            role="radio"
            aria-checked={on}
            data-role={option}
            disabled={!usable && option !== "ignore"}
            className="plain-button small"
            style={{
              padding: "3px 9px",
              fontWeight: on ? 650 : 400,
              background: back,
              opacity: !usable && option !== "ignore" ? 0.35 : 1,
            }}
            onClick={() => onRole(option)}
          >
            {option}
          </button>
        );
      })}
    </span>
  );
}
