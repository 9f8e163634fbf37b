using Furlough.Engine.Ports;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>Where a docket's holding lives now, read from reality.</summary>
public sealed class LivePlace(
    Docket docket,
    IMachine machine,
    DocketJournal journal,
    DocketPlaces places,
    DocketSettings settings
)
{
    /// <summary>
    /// Which of the docket's places is live, read from the pointers themselves (I2): the target once every one leads
    /// there.
    /// </summary>
    public Live Now()
    {
        try
        {
            // Links come last and go first: where there are settings too, these decide.
            IReadOnlyList<PointerChange> deciding = docket.Pointers.Any(p => !p.Address.InPlace)
                ? [.. docket.Pointers.Where(p => !p.Address.InPlace)]
                : docket.Pointers;
            if (deciding is [{ Address.InPlace: true }, ..] && !StandsInPlace())
                return Live.Unknown;
            if (deciding.Any(p => machine.Pointers.Read(p.Address) == settings.FormerOf(p)))
                return Live.Source;
            return deciding.All(p => machine.Pointers.Read(p.Address) == settings.NextOf(p))
                ? Live.Target
                : Live.Unknown;
        }
        catch (Fault)
        {
            return Live.Unknown;
        }
    }

    /// <summary>Whether anything stands on the path that the holding's program knows.</summary>
    private bool StandsInPlace()
    {
        var (place, identity) =
            docket.Work == DocketWork.Relocate
                ? (docket.Source, docket.SourceVolume)
                : (docket.Target, docket.TargetVolume);
        using var volume = machine.Volumes.Require(identity);
        using var parent = Reach.TryParent(volume, place);
        return parent?.Find(place.Parts[^1]) is not null;
    }

    /// <summary>The same in terms of the relocation, whose source a return goes back to.</summary>
    public Live OfRelocation() =>
        (docket.Work, Now()) switch
        {
            (DocketWork.Return or DocketWork.FallBack, Live.Source) => Live.Target,
            (DocketWork.Return or DocketWork.FallBack, Live.Target) => Live.Source,
            (_, var live) => live,
        };

    /// <summary>"the data lives at its target, `/data/…`"; where only settings change, where these lead.</summary>
    public string InWords() =>
        FirstStart.IsToCome(journal)
            ? $"its program is to make it at `{places.SourceShown}`"
            : $"{docket.Method.Lives()} {PlaceInWords()}";

    /// <summary>"its target, `/data/…`".</summary>
    public string PlaceInWords()
    {
        var (now, relocation) = (Now(), OfRelocation());
        return now switch
        {
            Live.Unknown => $"where its settings lead (between `{places.SourceShown}` and `{places.TargetShown}`)",
            Live.Target => $"its {relocation.Word()}, `{places.TargetShown}`",
            _ when docket.Work == DocketWork.FallBack =>
                $"its {relocation.Word()}, `{places.SourceShown}`, as far as it is not lost, and the original is kept",
            _ => $"its {relocation.Word()}, `{places.SourceShown}`",
        };
    }
}
