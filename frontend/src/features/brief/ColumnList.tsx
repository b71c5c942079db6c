import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState, type KeyboardEvent } from "react";
import type { Column, Data } from "../../api/client";
import { count, figure, percent } from "../../lib/format";
import { Histogram } from "../../charts/Histogram";
import { roleOf, withRole, type BriefForm, type Role } from "./briefForm";
import { ORDERS, listed, type Order } from "./columnOrder";
import { RolePicker } from "./RolePicker";

interface Props {
  data: Data;
  form: BriefForm;
  change?: (part: Partial<BriefForm>) => void; // absent: to be read only
  onType?: ((column: string, type: string) => void) | undefined; // absent: types stay as they are
}

const ROW = 46;
const MANY = 12; // columns from which on they are searched and sorted

/** Columns with type, missing share, small histogram and role. Thousands of them are fine: only what is seen is drawn. */
export function ColumnList({ data, form, change, onType }: Props) {
  const [search, setSearch] = useState("");
  const [order, setOrder] = useState<Order>("as in the file");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const shown = listed(data.columns, search, order);
  const choose = (names: string[], on: boolean) =>
    setChosen((held) => new Set(on ? [...held, ...names] : [...held].filter((name) => !names.includes(name))));
  const give = (role: "feature" | "ignore") => {
    const names = data.columns.filter((c) => chosen.has(c.name) && (c.type !== "text" || role === "ignore"));
    const last = names.reduce((held, c) => ({ ...held, ...withRole(held, c.name, role) }), form);
    change?.(last);
    setChosen(new Set());
  };
  return (
    <div className="col near">
      {data.columns.length > MANY && (
        <div className="row wrap near small">
          <input
            inputMode="search"
            aria-label="Find a column"
            placeholder={`Find among ${data.columns.length} columns`}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            className="search-field"
          />
          <select aria-label="Order of the columns" value={order} onChange={(e) => setOrder(e.target.value as Order)}>
            {ORDERS.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          {chosen.size > 0 && (
            <span className="row near" role="group" aria-label="Role of the chosen columns">
              <b>{chosen.size} chosen:</b>
              <button className="plain-button spruce" onClick={() => give("feature")}>
                make features
              </button>
              <button className="plain-button spruce" onClick={() => give("ignore")}>
                ignore
              </button>
              <button className="plain-button soft" onClick={() => setChosen(new Set())}>
                none
              </button>
            </span>
          )}
        </div>
      )}
      <Table
        data={data}
        shown={shown}
        form={form}
        change={change}
        onType={onType}
        chosen={data.columns.length > MANY && change ? chosen : null}
        onChoose={choose}
      />
    </div>
  );
}

interface TableProps extends Props {
  shown: Column[];
  chosen: ReadonlySet<string> | null; // null: roles are given one by one
  onChoose: (names: string[], on: boolean) => void;
}

function Table({ data, shown, form, change, onType, chosen, onChoose }: TableProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState("feature"); // the control of every row that Tab stops at
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const all = chosen !== null && shown.length > 0 && shown.every((c) => chosen.has(c.name));
  const line = chosen ? "column-row choosable" : "column-row";
  return (
    <div className="sheet">
      <div
        className="scrolls column-list"
        ref={scroller}
        role="table"
        aria-label="Columns"
        aria-rowcount={shown.length}
        tabIndex={change ? undefined : 0}
      >
        <div role="row" className={`small soft sunk underlined ${line} head-row`}>
          {chosen && (
            <span role="columnheader">
              <input
                type="checkbox"
                aria-label="Choose all that are listed"
                checked={all}
                onChange={() =>
                  onChoose(
                    shown.map((c) => c.name),
                    !all,
                  )
                }
              />
            </span>
          )}
          <span role="columnheader">Column</span>
          <span role="columnheader" className="drawn">
            Distribution
          </span>
          <span role="columnheader">Missing</span>
          <span role="columnheader">Role</span>
        </div>
        {shown.length === 0 && <p className="soft padded">No column is called that.</p>}
        <div className="anchor" role="rowgroup" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const column = shown[item.index]!;
            return (
              <div
                className={`underlined ${line} list-row`}
                key={column.name}
                role="row"
                aria-rowindex={item.index + 1}
                data-column={column.name}
                onKeyDown={(event) => walk(event, setActive)}
                style={{ height: ROW, transform: `translateY(${item.start}px)` }}
              >
                <Row
                  column={column}
                  rows={data.rows}
                  role={roleOf(column, form)}
                  chosen={chosen && chosen.has(column.name)}
                  active={active}
                  onChoose={(on) => onChoose([column.name], on)}
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

/** Tab goes from row to row, arrows go along one: thirty columns are thirty stops, not a hundred and eighty. */
function walk(event: KeyboardEvent<HTMLElement>, setActive: (control: string) => void) {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!step) return;
  const controls = [...event.currentTarget.querySelectorAll<HTMLElement>("[data-control]:not(:disabled)")];
  const next = controls[controls.indexOf(document.activeElement as HTMLElement) + step];
  event.preventDefault();
  if (!next) return;
  setActive(next.dataset.control!);
  next.focus();
}

const day = (days: number) => new Date(days * 86_400_000).toISOString().slice(0, 10);

function Row({
  column,
  rows,
  role,
  chosen,
  active,
  onChoose,
  onRole,
  onType,
}: {
  column: Column;
  rows: number;
  role: Role;
  chosen: boolean | null;
  active: string;
  onChoose: (on: boolean) => void;
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
  const usable = column.type !== "text";
  // A row whose control of that kind is off, or is not there, is entered at its last one.
  const there = { choose: chosen !== null, type: Boolean(onType), ignore: true }[active] ?? usable;
  const stop = (control: string) => ({
    "data-control": control,
    tabIndex: control === (there ? active : "ignore") ? 0 : -1,
  });
  return (
    <>
      {chosen !== null && (
        <span role="cell">
          <input
            type="checkbox"
            aria-label={`Choose ${column.name}`}
            {...stop("choose")}
            checked={chosen}
            onChange={(event) => onChoose(event.target.checked)}
          />
        </span>
      )}
      <span className="shrinks" role="cell">
        <span
          className="cut block"
          style={{ fontWeight: role === "target" ? 700 : 500, color: role === "ignore" ? "var(--soft)" : undefined }}
          title={column.name}
        >
          {column.name}
        </span>
        <span className="small soft cut block" title={column.note || column.why || `${column.type}, ${words}`}>
          {onType ? <TypePicker column={column} onType={onType} stop={stop("type")} /> : column.type}
          {note ? <span className="honey"> · {note}</span> : `, ${words}`}
          {column.why && !note && role === "ignore" && ` · ${column.why}`}
        </span>
      </span>
      <span role="cell" className="drawn">
        <Histogram column={{ ...column, role: role === "ignore" ? "ignore" : "feature" }} />
      </span>
      <span role="cell" className="small" style={{ color: column.missing ? "var(--honey-ink)" : "var(--soft)" }}>
        {column.missing ? percent(column.missing / rows) : "none"}
      </span>
      <span role="cell">
        {onRole ? (
          <RolePicker name={column.name} role={role} usable={usable} stop={stop} onRole={onRole} />
        ) : (
          <span className="tag">{role}</span>
        )}
      </span>
    </>
  );
}

interface TypeProps {
  column: Column;
  stop: { "data-control": string; tabIndex: number };
  onType: (type: string) => void;
}

/** The type of a column; another one reads the file anew. */
function TypePicker({ column, onType, stop }: TypeProps) {
  return (
    <select
      className="small inherits clickable type-picker"
      aria-label={`Type of ${column.name}`}
      data-type
      {...stop}
      value={column.type}
      onChange={(event) => onType(event.target.value)}
    >
      {["number", "category", "yes/no", "date", "text"].map((type) => (
        <option key={type} value={type}>
          {type}
        </option>
      ))}
    </select>
  );
}
