import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Column, Data } from "../../api/client";
import { count, figure, percent } from "../../lib/format";
import { Histogram } from "../../charts/Histogram";
import { OTHER_ROLES, roleOf, withRole, type BriefForm, type Role } from "./briefForm";

interface Props {
  data: Data;
  form: BriefForm;
  change?: (part: Partial<BriefForm>) => void; // absent: to be read only
  onType?: ((column: string, type: string) => void) | undefined; // absent: types stay as they are
}

const ROW = 46;

/** Columns with type, missing share, small histogram and role. Thousands of them are fine: only what is seen is drawn. */
export function ColumnList({ data, form, change, onType }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: data.columns.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  return (
    <div className="sheet" role="table" aria-label="Columns" aria-rowcount={data.columns.length}>
      <div className="scrolls" ref={scroller} style={{ maxHeight: "calc(100vh - 246px)" }}>
        <div
          role="row"
          className="small soft sunk underlined"
          style={{ ...grid, height: 30, position: "sticky", top: 0, zIndex: 1 }}
        >
          <span role="columnheader">Column</span>
          <span role="columnheader">Distribution</span>
          <span role="columnheader">Missing</span>
          <span role="columnheader">Role</span>
        </div>
        <div className="anchor" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const column = data.columns[item.index]!;
            return (
              <div
                className="underlined"
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
                }}
              >
                <Row
                  column={column}
                  rows={data.rows}
                  role={roleOf(column, form)}
                  onRole={change && ((role) => change(withRole(form, column.name, role)))}
                  onType={onType && ((type) => onType(column.name, type))}
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
  gridTemplateColumns: "minmax(0, 1fr) 122px 48px 258px",
  alignItems: "center",
  gap: 12,
  padding: "0 12px",
} as const;

const day = (days: number) => new Date(days * 86_400_000).toISOString().slice(0, 10);

function Row({
  column,
  rows,
  role,
  onRole,
  onType,
}: {
  column: Column;
  rows: number;
  role: Role;
  onRole: ((role: Role) => void) | undefined;
  onType: ((type: string) => void) | undefined;
}) {
  const words =
    column.type === "date" && column.low !== null
      ? `${day(column.low)} to ${day(column.high!)}`
      : column.type === "number"
        ? column.low === null
          ? "no values"
          : `${figure(column.low)} to ${figure(column.high!)}`
        : `${column.type === "text" && column.distinct > 1000 ? "over 1 000" : count(column.distinct)} ${column.distinct === 1 ? "value" : "values"}`;
  const note = column.note !== column.why && column.note;
  return (
    <>
      <span className="shrinks" role="cell">
        <span
          className="cut block"
          style={{ fontWeight: role === "target" ? 700 : 500, color: role === "ignore" ? "var(--soft)" : undefined }}
          title={column.name}
        >
          {column.name}
        </span>
        <span className="small soft cut block" title={column.note || column.why || undefined}>
          {onType ? <TypePicker column={column} onType={onType} /> : column.type}
          {note ? <span className="honey"> · {note}</span> : `, ${words}`}
          {column.why && !note && role === "ignore" && ` · ${column.why}`}
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

interface RoleProps {
  name: string;
  role: Role;
  usable: boolean;
  onRole: (role: Role) => void;
}

const TINTS: Partial<Record<Role, string>> = { target: "var(--honey-tint)", ignore: "var(--sunk)" };

function RolePicker({ name, role, usable, onRole }: RoleProps) {
  const other = OTHER_ROLES.find((r) => r === role) ?? "";
  return (
    <span
      role="group"
      aria-label={`Role of ${name}`}
      style={{ display: "inline-flex", border: "1px solid var(--rule)", borderRadius: 6, overflow: "hidden" }}
    >
      <span role="radiogroup" aria-label={`Role of ${name}`} style={{ display: "inline-flex" }}>
        {(["target", "feature", "ignore"] as const).map((option) => {
          const on = option === role;
          const off = !usable && option !== "ignore";
          return (
            <button
              key={option}
              role="radio"
              aria-checked={on}
              data-role={option}
              disabled={off}
              className="plain-button small"
              style={{
                padding: "3px 8px",
                fontWeight: on ? 650 : 400,
                background: on ? (TINTS[option] ?? "var(--spruce-tint)") : undefined,
                opacity: off ? 0.35 : 1,
              }}
              onClick={() => onRole(option)}
            >
              {option}
            </button>
          );
        })}
      </span>
      <select
        className="small inherits"
        aria-label={`Other role of ${name}`}
        data-other-role
        disabled={!usable}
        value={other}
        onChange={(event) => onRole((event.target.value || "feature") as Role)}
        style={{
          border: 0,
          borderLeft: "1px solid var(--rule)",
          width: 72,
          font: "inherit",
          fontSize: 12.5,
          fontWeight: other ? 650 : 400,
          background: other ? "var(--spruce-tint)" : "transparent",
        }}
      >
        <option value="">other</option>
        {OTHER_ROLES.map((r) => (
          <option key={r} value={r}>
            {r}
          </option>
        ))}
      </select>
    </span>
  );
}

interface TypeProps {
  column: Column;
  onType: (type: string) => void;
}

/** The type of a column; another one reads the file anew. */
function TypePicker({ column, onType }: TypeProps) {
  return (
    <select
      className="small inherits clickable"
      aria-label={`Type of ${column.name}`}
      data-type
      value={column.type}
      onChange={(event) => onType(event.target.value)}
      style={{
        appearance: "none",
        border: 0,
        borderBottom: "1px dotted var(--soft)",
        font: "inherit",
        background: "transparent",
        padding: 0,
        fieldSizing: "content",
      }}
    >
      {["number", "category", "yes/no", "date", "text"].map((type) => (
        <option key={type} value={type}>
          {type}
        </option>
      ))}
    </select>
  );
}
