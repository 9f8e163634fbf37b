using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>Where a docket's holding lives now, read from reality.</summary>
public sealed class LivePlace(Docket docket, ILive where, DocketJournal journal, DocketPlaces places)
{
    /// <summary>Which of the docket's places is live.</summary>
    public Live Now() => where.Now();

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
