import { type UseMutationResult, useMutation } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Invite } from "../api/client";
import { words } from "../words";
import { Wrong } from "./Fetched";

type Asked = { room: string | null; machines: number };
export type Inviting = UseMutationResult<Invite, Error, Asked>;

export const useInviting = (): Inviting =>
  useMutation({ mutationFn: ({ room, machines }: Asked) => api.invite(room, machines) });

/** Asks for which room and how many machines, and makes the invite. */
export function InviteForm({ inviting }: { inviting: Inviting }) {
  const [room, setRoom] = useState("");
  const [machines, setMachines] = useState(1);
  const [roomField, machinesField] = [useId(), useId()];
  return (
    <form
      className="accept"
      onSubmit={(event) => {
        event.preventDefault();
        inviting.mutate({ room: room.trim() || null, machines });
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
      <button type="submit" disabled={inviting.isPending}>
        {words.makeInvite}
      </button>
      <Wrong error={inviting.error} />
    </form>
  );
}

/** The code, and what is run with it on each kind of machine. */
export function InviteCommands({ invite, Heading }: { invite: Invite; Heading: "h2" | "h3" }) {
  return (
    <>
      <pre>
        <code>{invite.code}</code>
      </pre>
      {invite.ways.map((way) => (
        <section key={way.on} aria-label={way.on}>
          <Heading>{way.on}</Heading>
          <pre>
            <code>{way.commands}</code>
          </pre>
        </section>
      ))}
    </>
  );
}
