import { InviteCommands, InviteForm, type Inviting } from "../parts/Inviting";
import { atTime, count, words } from "../words";

/**
 * What is done first, while there are no machines. It stays until all that were invited here have arrived, or somebody
 * closes it: its commands are needed on each of them.
 */
export function FirstSteps({ inviting, arrived, close }: { inviting: Inviting; arrived: number; close: () => void }) {
  const invite = inviting.data;
  return (
    <section className="steps" aria-label={words.firstSteps}>
      <h1>{words.firstSteps}</h1>
      <ol>
        <li>
          <h2>{words.firstInvite}</h2>
          <p>{words.inviteHow}</p>
          {invite ? (
            <p>{words.inviteMade(count(invite.machines, "machine"), atTime(invite.expires))}</p>
          ) : (
            <InviteForm inviting={inviting} />
          )}
        </li>
        <li>
          <h2>{words.firstInstall}</h2>
          {location.protocol === "http:" && <p>{words.onlyHere}</p>}
          {invite ? (
            <>
              <p>{words.installHow}</p>
              <InviteCommands invite={invite} Heading="h3" />
            </>
          ) : (
            <p className="quiet">{words.commandsFollow}</p>
          )}
        </li>
        <li>
          <h2>{words.firstSurvey}</h2>
          <p>{words.surveyHow}</p>
          {invite && (
            <p role="status">
              {words.arrived(arrived, invite.machines)}{" "}
              {arrived > 0 && (
                <button type="button" onClick={close}>
                  {words.closeSteps}
                </button>
              )}
            </p>
          )}
        </li>
      </ol>
    </section>
  );
}
