using Furlough.Model;

namespace Furlough.Planning.Forecasts;

/// <summary>One relocation that a fleet has carried out.</summary>
/// <param name="Room">Machines of one room are alike.</param>
/// <param name="Moving">Seconds of copying and reading back, before or during the outage.</param>
/// <param name="Rest">Seconds of all other steps that every relocation takes.</param>
public sealed record Carried(
    string Room,
    Guid Machine,
    MediaPair Media,
    long Bytes,
    long Files,
    double Moving,
    double Rest
);

/// <summary>What a fleet's relocations have shown so far, and the forecasts that follow.</summary>
public sealed class Experience
{
    private const double RestSeconds = 2,
        RestHighFactor = 3,
        LimitHighFactor = 1.1;

    /// <summary>
    /// Part of the files of a holding that people change while a warm copy is made, for want of anything better known.
    /// </summary>
    private const double CaughtUp = 0.02;

    private readonly Dictionary<MediaPair, FittedCost> _fits = [];
    private readonly Dictionary<(MediaPair, string), double> _rooms = [];
    private readonly Dictionary<(MediaPair, Guid), double> _machines = [];
    private readonly double _rest;
    private readonly int _count;

    /// <param name="carried">What the fleet has carried out; empty for a new one.</param>
    public Experience(IReadOnlyList<Carried> carried)
    {
        _count = carried.Count;
        _rest = carried.Count == 0 ? RestSeconds : CostFitting.Median([.. carried.Select(c => c.Rest)]);
        foreach (var pair in carried.GroupBy(c => c.Media))
            Learn(pair.Key, [.. pair]);
    }

    /// <summary>Nothing shown yet.</summary>
    public static Experience None { get; } = new([]);

    /// <summary>Forecasts one relocation.</summary>
    /// <param name="limit">Most bytes that are copied or read back in a second; null for as many as there are.</param>
    public RelocationForecast Of(
        Method method,
        string room,
        Guid machine,
        VolumeFacts source,
        VolumeFacts target,
        long bytes,
        long files,
        long? limit = null
    )
    {
        var rest = new Span(TimeSpan.FromSeconds(_rest), TimeSpan.FromSeconds(_rest * RestHighFactor));
        if (method == Method.Exchange)
            return new RelocationForecast(rest, rest, _count);
        if (!method.MovesData())
            return new RelocationForecast(rest, Span.None, _count);
        var pair = MediaPair.Of(source, target);
        var fit = _fits.GetValueOrDefault(pair) ?? CostFitting.Fit([], UsualCost.Of(pair));
        var own = _machines.TryGetValue((pair, machine), out var m) ? m : _rooms.GetValueOrDefault((pair, room), 1);
        var moving = Moving(1);
        var whole = Span.Sum([moving, rest]);
        if (method != Method.Warm)
            return new RelocationForecast(whole, whole, fit.Rests);
        var catchUp = Moving(CaughtUp);
        return new RelocationForecast(Span.Sum([moving, catchUp, rest]), Span.Sum([catchUp, rest]), fit.Rests);

        // Copied and read back: under a limit the bytes pass twice at its pace, however fast the disks are.
        Span Moving(double part)
        {
            var (free, held) = (
                fit.Cost.Of((long)(bytes * part), (long)(files * part)) * own,
                limit is { } most ? 2 * part * bytes / most : 0
            );
            return new Span(
                TimeSpan.FromSeconds(Math.Max(free, held)),
                TimeSpan.FromSeconds(Math.Max(free * fit.HighFactor, held * LimitHighFactor))
            );
        }
    }

    /// <summary>
    /// The fleet's cost of a pair, then by how much a room and a machine differ from it, trusted the more the more they
    /// have shown.
    /// </summary>
    private void Learn(MediaPair pair, IReadOnlyList<Carried> carried)
    {
        var usual = UsualCost.Of(pair);
        var whole = CostFitting.Fit([.. carried.Select(c => new Shown(c.Bytes, c.Files, c.Moving))], usual);
        foreach (var room in carried.GroupBy(c => c.Room))
            _rooms[(pair, room.Key)] = Differs(room, whole.Cost, 1, 2);
        // Once more with the rooms' differences taken out: rooms of other hardware must not bend the parts of the cost.
        var level = carried.Select(c => new Shown(c.Bytes, c.Files, c.Moving / _rooms[(pair, c.Room)])).ToList();
        var fit = CostFitting.Fit(level, usual);
        foreach (var room in carried.GroupBy(c => c.Room))
            _rooms[(pair, room.Key)] = Differs(room, fit.Cost, 1, 2);
        foreach (var machine in carried.GroupBy(c => (c.Room, c.Machine)))
            _machines[(pair, machine.Key.Machine)] = Differs(machine, fit.Cost, _rooms[(pair, machine.Key.Room)], 3);
        _fits[pair] = fit with { Rests = carried.Count };
    }

    private static double Differs(IEnumerable<Carried> some, Cost cost, double around, double doubt)
    {
        var factors = some.Select(c => c.Moving / Math.Max(1e-9, cost.Of(c.Bytes, c.Files))).ToArray();
        var trust = factors.Length / (factors.Length + doubt);
        return Math.Exp(trust * Math.Log(Math.Max(1e-6, CostFitting.Median(factors))) + (1 - trust) * Math.Log(around));
    }
}
