import { Link } from "react-router";
import { InviteCommands, InviteForm, useInviting } from "../parts/Inviting";
import { Phrase } from "../parts/Phrase";
import { atTime, count, words } from "../words";

/** An invite for machines, and what to start on each of them. */
export function InvitePage() {
  const inviting = useInviting();
  const invite = inviting.data;
  return (
    <>
      <h1>{words.inviteMachines}</h1>
      <p>{words.inviteHow}</p>
      <InviteForm inviting={inviting} />
      {invite && (
        <section aria-label={words.invite} aria-live="polite" tabIndex={-1} ref={(made) => made?.focus()}>
          <p>{words.inviteReady(count(invite.machines, "machine"), atTime(invite.expires))}</p>
          <InviteCommands invite={invite} Heading="h2" />
          <p>
            <Phrase text={words.inviteThen} rooms={<Link to="/">{words.rooms}</Link>} />
          </p>
        </section>
      )}
    </>
  );
}
