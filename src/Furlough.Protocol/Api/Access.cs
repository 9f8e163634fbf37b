using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>
/// What a token or session may do. Each level may do what those before it may, but for approving, which is a second
/// person's.
/// </summary>
[JsonConverter(typeof(WordConverter<AccessLevel>))]
public enum AccessLevel
{
    Reader,
    Technician,
    Approver,
    Steward,
}

/// <summary>A token, without its secret.</summary>
/// <param name="MadeBy">Null for the first steward's; the provider's name for a person who signed in there.</param>
/// <param name="Expires">Null for never.</param>
public sealed record TokenView(
    string Name,
    AccessLevel Level,
    string? MadeBy,
    DateTimeOffset? MadeAt,
    DateTimeOffset? Expires,
    DateTimeOffset? RevokedAt
);

/// <summary>Who is asking.</summary>
public sealed record Identity(string Name, AccessLevel Level);

/// <summary>The service itself.</summary>
/// <param name="CertificateEnds">When its certificate ends, within 30 days before; null otherwise.</param>
/// <param name="Backup">Null where the service has made none by itself.</param>
/// <param name="ReplacedBy">Null where machines follow this service.</param>
public sealed record ServiceStatus(
    string Version,
    DateTimeOffset StartedAt,
    int Machines,
    int Silent,
    long LastRun,
    Identity You,
    DateTimeOffset? CertificateEnds,
    BackupState? Backup,
    ReplacedBy? ReplacedBy
);

/// <summary>What became of the last backup that the service made by its settings.</summary>
/// <param name="Failed">Why it failed, and where; null where it was made.</param>
public sealed record BackupState(DateTimeOffset At, string? Failed);

/// <summary>Another service took this one's place: it was restored from a backup of this one.</summary>
/// <param name="Number">Its generation.</param>
/// <param name="Machine">The first machine that was heard to follow it.</param>
/// <param name="HeardAt">When.</param>
public sealed record ReplacedBy(long Number, string Machine, DateTimeOffset HeardAt);

/// <summary>A token is exchanged for a console session.</summary>
public sealed record SignIn(string Token);

/// <summary>How people can sign in besides by token.</summary>
/// <param name="Provider">Name of the office's provider; null for none.</param>
public sealed record SignInWays(string? Provider);

/// <summary>A code that a person enters at an address, to sign in on a command line.</summary>
/// <param name="Interval">Seconds between two questions whether that was done.</param>
/// <param name="ValidFor">Seconds.</param>
/// <param name="Handle">What is asked with.</param>
public sealed record DeviceCode(string Address, string Code, int Interval, int ValidFor, string Handle);

/// <summary>Asks whether a code was entered.</summary>
public sealed record DeviceAnswer(string Handle);

/// <summary>Asks for a token with an access level.</summary>
/// <param name="Days">Days after which it expires; null for never.</param>
public sealed record TokenRequest(string Name, AccessLevel Level, int? Days = null);

/// <summary>Asks for a new secret in place of a token's old one.</summary>
public sealed record TokenReplacement(string Name);

/// <summary>A new token; shown once.</summary>
public sealed record TokenMade(string Name, AccessLevel Level, string Token);
