import { useMutation } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link } from "react-router";
import { api } from "../api/client";
import { Wrong } from "../parts/Fetched";
import { Phrase } from "../parts/Phrase";
import { atTime, count, words } from "../words";

/** An invite for machines, and what to start on each of them. */
export function InvitePage() {
  const [room, setRoom] = useState("");
  const [machines, setMachines] = useState(1);
  const [roomField, machinesField] = [useId(), useId()];
  const invite = useMutation({ mutationFn: () => api.invite(room.trim() || null, machines) });
  return (
    <>
      <h1>{words.inviteMachines}</h1>
      <p>{words.inviteHow}</p>
      <form
        className="accept"
        onSubmit={(event) => {
          event.preventDefault();
          invite.mutate();
        }}
      >
        <label htmlFor={roomField}>{words.columns.room}</label>
        <input
          id={roomField}
          value={room}
          maxLength={100}
          placeholder={words.inviteRoomHint}
          onChange={(event) => setRoom(event.target.value)}
        />
        <label htmlFor={machinesField}>{words.columns.machines}</label>
        <input
          id={machinesField}
          type="number"
          min={1}
          max={10_000}
          required
          value={machines}
          onChange={(event) => setMachines(event.target.valueAsNumber)}
        />
        <button type="submit" disabled={invite.isPending}>
          {words.makeInvite}
        </button>
        <Wrong error={invite.error} />
      </form>
      {invite.data && (
        <section aria-label={words.invite} aria-live="polite" tabIndex={-1} ref={(made) => made?.focus()}>
          <p>{words.inviteReady(count(invite.data.machines, "machine"), atTime(invite.data.expires))}</p>
          <pre>
            <code>{invite.data.code}</code>
          </pre>
          {invite.data.ways.map((way) => (
            <section key={way.on} aria-label={way.on}>
              <h2>{way.on}</h2>
              <pre>
                <code>{way.commands}</code>
              </pre>
            </section>
          ))}
          <p>
            <Phrase text={words.inviteThen} rooms={<Link to="/">{words.rooms}</Link>} />
          </p>
        </section>
      )}
    </>
  );
}
