import { OTHER_ROLES, type Role } from "./briefForm";

interface Props {
  name: string;
  role: Role;
  usable: boolean;
  stop: (control: string) => { "data-control": string; tabIndex: number };
  onRole: (role: Role) => void;
}

const TINTS: Partial<Record<Role, string>> = { target: "var(--honey-tint)", ignore: "var(--sunk)" };

/** Target, feature or ignored, side by side, and the rarer roles in a list. */
export function RolePicker({ name, role, usable, stop, onRole }: Props) {
  const other = OTHER_ROLES.find((r) => r === role) ?? "";
  return (
    <span role="group" aria-label={`Role of ${name}`} className="roles">
      <span role="radiogroup" aria-label={`Role of ${name}`} className="in-line">
        {(["target", "feature", "ignore"] as const).map((option) => {
          const on = option === role;
          return (
            <button
              key={option}
              role="radio"
              aria-checked={on}
              data-role={option}
              {...stop(option)}
              disabled={!usable && option !== "ignore"}
              className="plain-button small role"
              style={{
                fontWeight: on ? 650 : 400,
                background: on ? (TINTS[option] ?? "var(--spruce-tint)") : undefined,
              }}
              onClick={() => onRole(option)}
            >
              {option}
            </button>
          );
        })}
      </span>
      <select
        className="small inherits other-role"
        aria-label={`Other role of ${name}`}
        data-other-role
        {...stop("other")}
        disabled={!usable}
        value={other}
        onChange={(event) => onRole((event.target.value || "feature") as Role)}
        style={{ fontWeight: other ? 650 : 400, backgroundColor: other ? "var(--spruce-tint)" : "transparent" }}
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
