using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>
/// Says what is to be left free on the machines of a room, or (no room) of the fleet; what is null stays, and with both
/// null the reserve is taken back.
/// </summary>
public sealed record ReserveRequest(string? Room, string? System, string? Others);

/// <summary>
/// What is to be left free on the machines of a room, or (no room) on those of rooms without a reserve of their own.
/// </summary>
/// <param name="System">Of the system volume: a size such as "60 GB" or a share such as "25%".</param>
/// <param name="Others">Of every other volume.</param>
public sealed record Reserve(string? Room, string System, string Others, string SaidBy);

/// <summary>How full a volume is and when it reaches its reserve.</summary>
/// <param name="Growth">How it fills up; null where the history is too short.</param>
/// <param name="DaysLeft">Days until its free space reaches the reserve, at the median slope; null when it does not
/// fill up or nothing is known.</param>
/// <param name="EarliestDaysLeft">The same at the upper end of the 90 % interval.</param>
/// <param name="LatestDaysLeft">At its lower end; null where it may never come.</param>
public sealed record VolumeSpace(
    string Machine,
    string Room,
    string Root,
    string Label,
    bool System,
    Attachment Attached,
    long SizeBytes,
    long FreeBytes,
    long ReserveBytes,
    Growth? Growth,
    double? DaysLeft,
    double? EarliestDaysLeft,
    double? LatestDaysLeft
);

/// <summary>
/// What takes space on a volume: an account's holding, originals that are kept, or what Furlough does not manage.
/// </summary>
/// <param name="Account">Null for what is nobody's.</param>
/// <param name="Style">live, original or other.</param>
public sealed record SpaceShare(string Root, string? Account, string Name, long Files, long DataBytes, string Style);

/// <summary>What a volume held.</summary>
public sealed record SpaceMoment(string Root, DateTimeOffset At, long UsedBytes);

/// <summary>What takes the space of a machine, and how that has grown.</summary>
public sealed record MachineSpace(
    string Machine,
    string Room,
    IReadOnlyList<VolumeSpace> Volumes,
    IReadOnlyList<SpaceShare> Shares,
    IReadOnlyList<SpaceMoment> History
);
