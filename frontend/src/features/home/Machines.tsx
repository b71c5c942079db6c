import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useClusters, useConnect, useForget, type Cluster } from "../../api/machines";
import { plural } from "../../lib/format";

/** Clusters whose machines do fits: what each machine has and holds, and a field to name another. */
export function Machines() {
  const clusters = useClusters(true).data ?? [];
  const [open, setOpen] = useState(false);
  const [address, setAddress] = useState("");
  const connect = useConnect(() => {
    setAddress("");
    setOpen(false);
  });
  return (
    <section className="col near" aria-label="Machines">
      <div className="row">
        <h1 className="grow">Machines</h1>
        {!open && (
          <Button variant="outlined" onClick={() => setOpen(true)}>
            Connect a cluster
          </Button>
        )}
      </div>
      {open && (
        <form
          className="row top"
          onSubmit={(e) => {
            e.preventDefault();
            connect.mutate(address.trim());
          }}
        >
          <TextField
            className="grow"
            autoFocus
            label="Address of its scheduler"
            placeholder="tcp://head:8786"
            value={address}
            error={!!connect.error}
            helperText={connect.error?.message}
            onChange={(e) => setAddress(e.target.value)}
          />
          <Button type="submit" variant="contained" disabled={!address.trim() || connect.isPending}>
            {connect.isPending ? "Connecting …" : "Connect"}
          </Button>
          <Button onClick={() => setOpen(false)}>Cancel</Button>
        </form>
      )}
      {clusters.length === 0 && !open && (
        <p className="small soft">
          Fits run on this machine. A cluster engine&rsquo;s machines can do them too: connect its scheduler, or try it
          with <code>pellux cluster</code>.
        </p>
      )}
      {clusters.map((cluster) => (
        <OneCluster key={cluster.address} cluster={cluster} />
      ))}
    </section>
  );
}

function OneCluster({ cluster }: { cluster: Cluster }) {
  const forget = useForget();
  const again = useConnect(() => undefined);
  const refusal = forget.error ?? again.error;
  return (
    <div className="sheet col padded near" data-cluster={cluster.address}>
      <div className="row">
        <h2 className="grow mono">{cluster.address}</h2>
        <span className="small soft one-line">
          {plural(cluster.machines.length, "machine")} · {cluster.taken} of {plural(cluster.cores, "core")} taken
        </span>
        {cluster.door === "" && (
          <Button disabled={again.isPending} onClick={() => again.mutate(cluster.address)}>
            {again.isPending ? "Connecting …" : "Connect"}
          </Button>
        )}
        <button className="plain-button small ember" onClick={() => forget.mutate(cluster.address)}>
          forget
        </button>
      </div>
      {(refusal ?? cluster.trouble) && (
        <p className="small ember" role={refusal ? "alert" : undefined}>
          {refusal?.message ?? cluster.trouble}
        </p>
      )}
      {cluster.machines.length > 0 && (
        <table className="machines">
          <thead>
            <tr>
              <th scope="col">Machine</th>
              <th scope="col">Taken</th>
              <th scope="col">Cores</th>
              <th scope="col">Memory</th>
              <th scope="col">Devices</th>
              <th scope="col">Sent to it</th>
              <th scope="col">State</th>
            </tr>
          </thead>
          <tbody>
            {cluster.machines.map((machine) => (
              <tr key={machine.address} title={machine.address}>
                <th scope="row">{machine.label}</th>
                <td>{machine.taken}</td>
                <td>{machine.cores}</td>
                <td>{(machine.memory_mb / 1024).toFixed(1)} GiB</td>
                <td>{machine.devices.length ? machine.devices.join(", ") : "–"}</td>
                <td>{machine.sent_mb.toFixed(1)} MB</td>
                <td className={machine.trouble ? "ember" : "soft"}>{machine.trouble || "may be used"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
