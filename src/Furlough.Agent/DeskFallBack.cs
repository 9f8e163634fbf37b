using System.Globalization;
using Furlough.Agent.Journal;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>
/// Makes an original live again at the machine itself, for the day on which its target is lost and the service is away.
/// The service hears of it when it is back.
/// </summary>
internal sealed class DeskFallBack(AgentStore store, IMachine machine, SigningKey key, TimeProvider time, TextWriter to)
{
    private static readonly TimeSpan Validity = TimeSpan.FromDays(14);

    /// <param name="missingFrom">The time from which work is missing, as anyone who asks accepts it; null: asked what
    /// that would be.</param>
    internal int Run(long relocation, DateTimeOffset? missingFrom, CancellationToken stop)
    {
        var all = store
            .Dockets()
            .Where(d => d.Docket.Relocation == relocation && d.Docket.Work.MovesHolding())
            .ToList();
        if (all.Count == 0)
            return Refuse(
                $"This machine knows no relocation {relocation}.",
                "`furlough-agent status` lists those that it knows."
            );
        var begun = store.DeskDockets().FirstOrDefault(d => d.Relocation == relocation);
        if (
            all.LastOrDefault(d => d.Docket.Work == DocketWork.Relocate && d.Last?.State == RelocationState.Switched)
                is not { Docket: { } switched, Last: { } told }
            || all.Any(d => d.Docket.Supersession > switched.Supersession && d.Last?.State == RelocationState.Returned)
        )
            return Refuse(
                $"Relocation {relocation} is not switched: its data is not at its target.",
                "`furlough-agent status` says where it is."
            );
        if (store.Originals().FirstOrDefault(o => o.Docket == switched.Id) is not { } original)
            return Refuse(
                $"Relocation {relocation} keeps no original, so there is nothing to fall back to.",
                "Restore the data from a backup."
            );
        var since = original.SetAside.ToString("yyyy-MM-dd HH:mm'Z'", CultureInfo.InvariantCulture);
        if (
            begun is null
            && (missingFrom is not { } named || (named - original.SetAside).Duration() > TimeSpan.FromMinutes(1))
        )
            return Refuse(
                $"The original of {switched.Holding} was set aside at {since}; all work since then is missing after "
                    + "falling back.",
                "If that is accepted: "
                    + $"`furlough-agent fall-back {relocation} --missing-from {since.Replace(' ', 'T')}`."
            );

        var docket = begun ?? Back(switched, told, time.GetUtcNow());
        if (begun is null)
            store.AddAtDesk(docket);
        var last = new LastChange();
        using var engine = new RelocationEngine(machine, store, new EveryPermit(), new ReceiptSigner(key), time);
        var end = engine.Run(docket, last, stop);
        if (end != RelocationState.Returned)
            return last.Change?.Failure is { } failure ? Refuse(failure) : Refuse($"It ended as {end.Word()}.", null);
        store.Add(
            new RelocationChange(
                switched,
                RelocationState.Returned,
                null,
                Live.Source,
                null,
                [],
                null,
                [$"Fallen back at the machine itself, without the service. Work since {since} is missing."]
            ),
            time.GetUtcNow()
        );
        to.WriteLine(
            $"{switched.Holding} is back at `{machine.Volumes.Show(switched.Source)}`, as it was at {since}. "
                + "Start the agent again: the service hears of it when it is reached."
        );
        return 0;
    }

    /// <summary>From the lost target to where the original was set aside, with the settings as they were.</summary>
    private static Docket Back(Docket switched, Bulletin told, DateTimeOffset now) =>
        switched with
        {
            Id = Guid.CreateVersion7(now),
            Work = DocketWork.FallBack,
            NotBefore = now,
            NotAfter = now + Validity,
            Source = switched.Target,
            Target = switched.Source,
            SourceVolume = switched.TargetVolume,
            TargetVolume = switched.SourceVolume,
            OwnedFrom = 0,
            Pointers =
            [
                .. told.Pointers.Select(p => new PointerChange(p.Address, p.After, p.Before) { Within = p.Within }),
            ],
            Originals = [switched.Id],
            Supersedes = [],
            Adoption = null,
            Told = null,
        };

    /// <summary>What would be tried again by the service is tried again here.</summary>
    private int Refuse(Failure failure) =>
        failure.Next == NextStep.FallBack
            ? Refuse(
                (failure with { Next = NextStep.None }).InFull(),
                $"To fall back again: `furlough-agent fall-back {failure.Relocation}`."
            )
            : Refuse(failure.InFull(), null);

    private int Refuse(string what, string? remedy)
    {
        to.WriteLine(what);
        if (remedy is not null)
            to.WriteLine(remedy);
        return 1;
    }
}
