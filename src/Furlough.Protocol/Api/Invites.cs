using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Asks for an invite.</summary>
/// <param name="Machines">How many machines may use it.</param>
/// <param name="Hours">How long it is valid, in hours.</param>
/// <param name="Again">Name of the machine that enrols again after it was reinstalled.</param>
/// <param name="Rules">In which rooms machines are, by their names; the first that fits counts. Null for none.</param>
public sealed record InviteRequest(
    string? Room,
    int Machines = 1,
    int Hours = 24,
    string? Again = null,
    IReadOnlyList<RoomRule>? Rules = null
);

/// <summary>Machines with such names are in this room.</summary>
/// <param name="Names">A name in which * stands for any text and ? for any letter.</param>
public sealed record RoomRule(string Names, string Room);

/// <summary>An invite for agents.</summary>
/// <param name="Ways">How an agent is set up with it on each kind of system.</param>
public sealed record Invite(
    string Code,
    DateTimeOffset Expires,
    int Machines,
    string? Room,
    IReadOnlyList<InviteWay> Ways
);

/// <summary>How an agent is set up.</summary>
/// <param name="On">Where: "Debian", "Windows", "Any system, by hand".</param>
/// <param name="Commands">To be run there as administrator, one in a line.</param>
public sealed record InviteWay(string On, string Commands);

/// <summary>An invite that may still be used. Its code is shown only to the person who makes it.</summary>
/// <param name="Id">Names it, to revoke it.</param>
/// <param name="Again">The machine that may use it to enrol again; null for new machines.</param>
/// <param name="Left">How many machines may still use it.</param>
public sealed record OpenInvite(
    string Id,
    string? Room,
    string? Again,
    int Left,
    DateTimeOffset Expires,
    string MadeBy
);
