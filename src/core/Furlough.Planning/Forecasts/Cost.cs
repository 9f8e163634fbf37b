using Furlough.Model;

namespace Furlough.Planning.Forecasts;

/// <summary>
/// What a relocation between two media costs in time: so much once, so much for each byte, so much for each file.
/// </summary>
/// <param name="Once">Seconds.</param>
/// <param name="PerByte">Seconds for each byte: read, written and read back.</param>
/// <param name="PerFile">Seconds for each file: read, made and opened again.</param>
public sealed record Cost(double Once, double PerByte, double PerFile)
{
    /// <summary>Seconds for so many bytes in so many files.</summary>
    public double Of(long bytes, long files) => Once + PerByte * bytes + PerFile * files;
}

/// <summary>Between which media data goes. What is learned on one pair says nothing about another.</summary>
public sealed record MediaPair(Medium From, Attachment FromAttached, Medium To, Attachment ToAttached)
{
    /// <summary>The pair of two volumes.</summary>
    public static MediaPair Of(VolumeFacts source, VolumeFacts target) =>
        new(source.Medium, source.Attached, target.Medium, target.Attached);
}

/// <summary>The usual cost of media, as long as a fleet has shown nothing of its own.</summary>
public static class UsualCost
{
    private const double OnceSeconds = 2;

    /// <summary>The cost of a pair: copying goes at the slower one's pace, reading back at the target's.</summary>
    public static Cost Of(MediaPair pair)
    {
        var (from, to) = (One(pair.From, pair.FromAttached), One(pair.To, pair.ToAttached));
        return new Cost(
            OnceSeconds,
            Math.Max(from.PerByte, to.PerByte) + to.PerByte,
            Math.Max(from.PerFile, to.PerFile) + to.PerFile
        );
    }

    /// <summary>Seconds for a byte and for a file of one medium, in one direction.</summary>
    private static (double PerByte, double PerFile) One(Medium medium, Attachment attached) =>
        (medium, attached) switch
        {
            (_, Attachment.Network) => (1 / 60e6, 1 / 150.0),
            (_, Attachment.Removable) => (1 / 25e6, 1 / 80.0),
            (Medium.Rotating, _) => (1 / 120e6, 1 / 120.0),
            (Medium.Solid, Attachment.External) => (1 / 300e6, 1 / 1_500.0),
            (Medium.Solid, _) => (1 / 400e6, 1 / 3_000.0),
            (Medium.Memory, _) => (1 / 2e9, 1 / 20_000.0),
            _ => (1 / 150e6, 1 / 500.0),
        };
}
