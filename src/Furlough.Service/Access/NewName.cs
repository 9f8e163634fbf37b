using System.Globalization;
using Furlough.Protocol;

namespace Furlough.Service.Access;

/// <summary>
/// The one grammar of names that people give: of machines, rooms, tokens, receivers. They stand in addresses, in
/// histories and before people's eyes.
/// </summary>
public static class NewName
{
    private const int Longest = 100;

    /// <summary>The author of what the service does itself; nobody else may be called so.</summary>
    public const string OfService = "furlough";

    /// <summary>Refuses a name that could not be told apart, addressed or seen.</summary>
    /// <param name="what">"A token".</param>
    /// <exception cref="RefusedException"><c>name-refused</c></exception>
    public static string Require(string? name, string what)
    {
        if (
            name is { Length: > 0 and <= Longest }
            && name.Trim() == name
            && name is not ("." or "..")
            && !name.Any(IsRefused)
            && !string.Equals(name, OfService, StringComparison.OrdinalIgnoreCase)
        )
            return name;
        throw new RefusedException(
            RefusalKind.Malformed,
            "name-refused",
            $"{what} needs a name of 1 to {Longest} letters, digits, spaces and signs other than / \\ ? # % and "
                + $"quotes, with nothing in it that cannot be seen, and not `{OfService}`.",
            "Give another name, such as `Seminar Lab` or `map-01`."
        );
    }

    /// <summary>A name that others gave, with hyphens for what a name here may not have.</summary>
    public static string Fitting(string name)
    {
        var fitting = string.Concat(name.Select(c => IsRefused(c) ? '-' : c)).Trim();
        return fitting[..Math.Min(fitting.Length, Longest)].TrimEnd();
    }

    private static bool IsRefused(char c) =>
        c is '/' or '\\' or '?' or '#' or '%' or '"' or '\'' or '`'
        || char.GetUnicodeCategory(c)
            is UnicodeCategory.Control
                or UnicodeCategory.Format
                or UnicodeCategory.Surrogate
                or UnicodeCategory.PrivateUse
                or UnicodeCategory.LineSeparator
                or UnicodeCategory.ParagraphSeparator
                or UnicodeCategory.OtherNotAssigned;
}
