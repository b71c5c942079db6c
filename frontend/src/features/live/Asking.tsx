/** How an outside loop asks for the fits of a search. */
export function Asking({ search }: { search: number }) {
  const address = `${window.location.origin}/api/v1/searches/${search}/leases`;
  return (
    <section className="sheet col padded near" data-asking>
      <h2>Fits are taken over HTTP</h2>
      <p className="mono small sunk command">{`curl -X POST -H 'Content-Type: application/json' -d '{"count": 1}' ${address}`}</p>
      <p className="small soft">
        The answer has settings and a lease; its score goes to <code>PUT /api/v1/leases/…/outcome</code>. From Python:{" "}
        <code>for fit in search.fits()</code>.
      </p>
    </section>
  );
}
