using System.Collections;
using System.Collections.Concurrent;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Protocol;

namespace Furlough.Service.Agents;

/// <summary>
/// What an agent may send at most, whatever it sends: no number, text, list or time may be such that reckoning with it
/// goes wrong. A machine that lies must not be able to break a page on which others are shown.
/// </summary>
public static class Bounds
{
    /// <summary>
    /// Largest number, such as bytes: a hundred petabytes. The sum of a whole fleet's stays countable.
    /// </summary>
    public const long LargestNumber = 100_000_000_000_000_000;

    private const int LongestText = 4_096,
        LongestBody = 4 << 20,
        LongestList = 20_000;
    private static readonly DateTimeOffset Earliest = DateTimeOffset.UnixEpoch,
        Latest = new(2200, 1, 1, 0, 0, 0, TimeSpan.Zero);
    private static readonly TimeSpan LongestTime = TimeSpan.FromDays(36_500);

    /// <summary>Texts that hold a whole document.</summary>
    private static readonly HashSet<string> Bodies = ["body", "notes"];
    private static readonly ConcurrentDictionary<Type, Part[]> Parts = new();

    /// <summary>A part of what is sent. JSON may have null where our records never do.</summary>
    private readonly record struct Part(PropertyInfo Property, string Name, bool MayBeNothing);

    /// <summary>Refuses what has something out of bounds; the answer names the field.</summary>
    /// <exception cref="RefusedException">Where and why.</exception>
    public static void Require(object sent, string what) => Look(sent, "", what, false);

    private static void Look(object? value, string field, string what, bool isBody)
    {
        switch (value)
        {
            case null or bool or Enum or Guid or uint or ulong or byte[]:
                return;
            case string text:
                if (text.Length > (isBody ? LongestBody : LongestText))
                    throw Refused(
                        what,
                        field,
                        $"has {text.Length:N0} characters, and may have {(isBody ? LongestBody : LongestText):N0}"
                    );
                if (text.Contains('\0'))
                    throw Refused(what, field, "has a character that ends texts");
                return;
            case long or int:
                // What a file system sets no limit to has the largest number there is.
                if (
                    field.EndsWith("largestFileBytes", StringComparison.Ordinal)
                    || field.EndsWith("longestPathBytes", StringComparison.Ordinal)
                )
                    return;
                if (
                    Convert.ToInt64(value, System.Globalization.CultureInfo.InvariantCulture)
                    is < -LargestNumber
                        or > LargestNumber
                )
                    throw Refused(what, field, $"is {value}, which cannot be");
                return;
            case double number:
                if (!double.IsFinite(number) || Math.Abs(number) > LargestNumber)
                    throw Refused(what, field, $"is {number}, which cannot be");
                return;
            case DateTimeOffset at:
                if (at < Earliest || at > Latest)
                    throw Refused(what, field, $"is {at:u}, which cannot be: look at the machine's clock");
                return;
            case TimeSpan length:
                if (length < TimeSpan.Zero || length > LongestTime)
                    throw Refused(what, field, $"is {length}, which cannot be");
                return;
            case IEnumerable list:
                var count = 0;
                foreach (var one in list)
                {
                    if (count == LongestList)
                        throw Refused(what, field, $"has more than {LongestList:N0} entries");
                    if (one is null)
                        throw Refused(what, $"{field}[{count}]", "is nothing");
                    Look(one, $"{field}[{count++}]", what, isBody);
                }
                return;
        }
        foreach (var part in Parts.GetOrAdd(value.GetType(), PartsOf))
        {
            var (inner, name) = (part.Property.GetValue(value), field.Length == 0 ? part.Name : $"{field}.{part.Name}");
            if (inner is null && !part.MayBeNothing)
                throw Refused(what, name, "is nothing");
            Look(inner, name, what, Bodies.Contains(part.Name));
        }
    }

    private static Part[] PartsOf(Type type)
    {
        var nullability = new NullabilityInfoContext();
        return
        [
            .. type.GetProperties(BindingFlags.Public | BindingFlags.Instance)
                .Where(p =>
                    p.GetIndexParameters().Length == 0
                    && p.GetCustomAttribute<JsonIgnoreAttribute>() is null
                    && p.Name != "EqualityContract"
                )
                .Select(p => new Part(
                    p,
                    JsonNamingPolicy.CamelCase.ConvertName(p.Name),
                    nullability.Create(p).ReadState != NullabilityState.NotNull
                )),
        ];
    }

    private static RefusedException Refused(string what, string field, string why) =>
        new(
            RefusalKind.Malformed,
            "out-of-bounds",
            $"`{field}` of the {what} {why}.",
            "Look at the agent's log: it is damaged, or it is not one of ours."
        );
}
