using System.Text.Json;
using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>Writes an enumeration as the hyphenated words of the product ("set-aside"), everywhere the same.</summary>
public sealed class WordConverter<T>()
    : JsonStringEnumConverter<T>(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false)
    where T : struct, Enum;

/// <summary>The spelling of the product's words outside of code.</summary>
public static class Words
{
    /// <summary>The word for a value: <c>SetAside</c> is "set-aside".</summary>
    public static string Word<T>(this T value)
        where T : struct, Enum => JsonNamingPolicy.KebabCaseLower.ConvertName(value.ToString());

    /// <summary>The word for a value as people read it: <c>WaveBegun</c> is "wave begun".</summary>
    public static string InWords<T>(this T value)
        where T : struct, Enum => value.Word().Replace('-', ' ');

    /// <summary>The value for a word, or null where no value is spelled so.</summary>
    public static T? Find<T>(string word)
        where T : struct, Enum
    {
        foreach (var value in Enum.GetValues<T>())
            if (string.Equals(value.Word(), word, StringComparison.Ordinal))
                return value;
        return null;
    }

    /// <summary>All words of an enumeration, for messages.</summary>
    public static IReadOnlyList<string> All<T>()
        where T : struct, Enum => [.. Enum.GetValues<T>().Select(v => v.Word())];

    /// <summary>A size in GB (10^9 bytes) with one decimal; smaller ones in MB, kB or bytes.</summary>
    public static string Size(long bytes) =>
        bytes switch
        {
            < 0 => "-" + Size(-bytes),
            < 1_000 => $"{bytes} B",
            < 1_000_000 => $"{bytes / 1e3:0.0} kB",
            < 100_000_000 => $"{bytes / 1e6:0.0} MB",
            _ => $"{bytes / 1e9:0.0} GB",
        };

    /// <summary>A length of time to two units: "40 s", "12 min", "3 h 20 min", "2 days 4 h".</summary>
    public static string Length(TimeSpan time)
    {
        if (time < TimeSpan.FromSeconds(99.5))
            return $"{Math.Max(0, Math.Round(time.TotalSeconds)):0} s";
        var minutes = (long)Math.Round(time.TotalMinutes);
        if (minutes < 100)
            return $"{minutes} min";
        var hours = minutes < 48 * 60 ? minutes / 60 : (long)Math.Round(time.TotalHours);
        if (minutes < 48 * 60)
            return minutes % 60 == 0 ? $"{hours} h" : $"{hours} h {minutes % 60} min";
        return hours % 24 == 0 ? $"{hours / 24} days" : $"{hours / 24} days {hours % 24} h";
    }

    /// <summary>"a, b", or "a, b and 7 more".</summary>
    /// <param name="most">So many are named.</param>
    public static string Some(IReadOnlyCollection<string> names, int most) =>
        string.Join(", ", names.Take(most))
        + (names.Count > most ? $" and {Count(names.Count - most, "more", "more")}" : "");

    /// <summary>"1 file", "3 files".</summary>
    public static string Count(long n, string one, string? many = null) =>
        n == 1
            ? $"1 {one}"
            : string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{n:N0} {many ?? one + "s"}");
}
