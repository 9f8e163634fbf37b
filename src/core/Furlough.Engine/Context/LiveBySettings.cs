using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>What tells which of a docket's places is live.</summary>
public interface ILive
{
    /// <summary>Read from reality; <see cref="Live.Unknown"/> where that cannot be said.</summary>
    Live Now();
}

/// <summary>The settings themselves tell it (I2): the target once every one leads there.</summary>
public sealed class LiveBySettings(Docket docket, IMachine machine, DocketSettings settings) : ILive
{
    /// <inheritdoc/>
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
}
