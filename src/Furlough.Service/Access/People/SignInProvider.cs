using Furlough.Protocol.Api;

namespace Furlough.Service.Access.People;

/// <summary>The office's OpenID provider, with which people sign in.</summary>
/// <param name="Issuer">Its address, as it names itself.</param>
/// <param name="Client">Under which name it knows this service.</param>
/// <param name="Secret">With which this service proves that.</param>
/// <param name="Scopes">What is asked for besides the usual.</param>
/// <param name="Groups">The claim in which it tells a person's groups.</param>
/// <param name="Levels">Access levels of groups; the first that fits counts.</param>
public sealed record SignInProvider(
    Uri Issuer,
    string Client,
    string Secret,
    IReadOnlyList<string> Scopes,
    string Groups,
    IReadOnlyList<GroupLevel> Levels
)
{
    /// <summary>What is always asked for.</summary>
    internal static readonly IReadOnlyList<string> UsualScopes = ["openid", "profile", "email", "offline_access"];

    /// <summary>Everything that is asked for.</summary>
    internal IEnumerable<string> AllScopes => UsualScopes.Concat(Scopes).Distinct();

    /// <summary>By what people know it.</summary>
    internal string Name => Issuer.Host;

    /// <summary>The access level of someone who is in these groups; null for none.</summary>
    internal AccessLevel? LevelOf(IReadOnlyCollection<string> groups) =>
        Levels.FirstOrDefault(l => groups.Contains(l.Group, StringComparer.Ordinal))?.Level;
}

/// <summary>The members of a group have an access level.</summary>
public sealed record GroupLevel(string Group, AccessLevel Level);

/// <summary>Someone, as the provider tells.</summary>
/// <param name="Subject">Stays the same for ever.</param>
/// <param name="Name">By which people know them.</param>
public sealed record Person(string Subject, string Name, IReadOnlyList<string> Groups);

/// <summary>What the provider granted.</summary>
/// <param name="Refresh">With which it is asked again; null where it gave none.</param>
public sealed record Grant(Person Person, string? Refresh);

/// <summary>The provider does not grant something.</summary>
/// <param name="error">Its code (RFC 6749, RFC 8628).</param>
public sealed class NotGrantedException(string error) : Exception($"the provider says {error}")
{
    public string Error => error;
}

/// <summary>The provider cannot be asked at the moment, or answers what cannot be understood.</summary>
public sealed class ProviderAwayException(string why, Exception? cause = null) : Exception(why, cause);
