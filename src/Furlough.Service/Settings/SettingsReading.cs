using System.Globalization;
using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text.RegularExpressions;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access.People;
using Furlough.Service.Backups;

namespace Furlough.Service.Settings;

/// <summary>Reads the values of settings, and gathers what is wrong with them.</summary>
internal sealed partial class SettingsReading(IReadOnlyDictionary<string, SettingValue> values)
{
    private readonly List<string> _errors = [];

    internal IReadOnlyList<string> Errors => _errors;

    internal string? Text(Setting setting) => values.GetValueOrDefault(setting.Name)?.Text;

    internal int? Port(Setting setting) => Number(setting, 0, IPEndPoint.MaxPort, "a port");

    private int? Number(Setting setting, int least, int most, string what = "a number") =>
        Read<int?>(
            setting,
            text =>
                int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
                && number >= least
                && number <= most
                    ? number
                    : null,
            $"{what}, from {least} to {most}"
        );

    internal bool YesNo(Setting setting) =>
        Read<bool?>(
            setting,
            text =>
                text switch
                {
                    "true" => true,
                    "false" => false,
                    _ => null,
                },
            "true or false"
        ) ?? false;

    /// <summary>Where it listens with TLS.</summary>
    internal Uri? ListenAddress(Setting setting) =>
        Read(
            setting,
            text => HttpsOf(text) is { } address && IPAddress.TryParse(address.DnsSafeHost, out _) ? address : null,
            Text(setting)?.StartsWith("http:", StringComparison.Ordinal) == true
                ? "an https address; without TLS there is only this machine itself (port)"
                : "one of this machine's addresses, such as https://0.0.0.0:8443"
        );

    internal Uri? Collector(Setting setting) =>
        Read(
            setting,
            text =>
                Uri.TryCreate(text.TrimEnd('/') + "/", UriKind.Absolute, out var uri)
                && uri is { Scheme: "http" or "https", UserInfo: "", Query: "" }
                    ? uri
                    : null,
            "an address, such as http://127.0.0.1:4318"
        );

    internal Uri? PublicAddress(Setting setting) =>
        Read(setting, HttpsOf, "an https address without a path, such as https://furlough.fen.example");

    internal Proxy? Proxy(Setting address, Setting authority)
    {
        var proxy = Read(address, text => IPAddress.TryParse(text, out var at) ? at : null, "an IP address");
        var authorities = Read(authority, AuthoritiesIn, "a file with certificates (PEM) that can be read");
        Needs(authority, address, "whose certificate it is about");
        return proxy is null ? null : new Proxy(proxy, authorities ?? []);
    }

    internal MailServer? Mail(Setting server, Setting from, Setting password)
    {
        var address = Read(
            server,
            text =>
                Uri.TryCreate(text, UriKind.Absolute, out var uri)
                && uri is { Scheme: "smtp" or "smtps", Port: > 0 }
                && !uri.UserInfo.Contains(':')
                    ? uri
                    : null,
            "smtp://HOST:PORT or smtps://HOST:PORT, with an account as smtp://ACCOUNT@HOST:PORT and without a password"
        );
        var sender = Read(from, text => text.Contains('@') ? text : null, "an address for mail");
        var secret = Read(password, FirstLine, "a file that can be read");
        Needs(server, from, "which mail comes from");
        Needs(from, server, "which sends the mail");
        Needs(password, server, "to which the password is given");
        return address is null || sender is null
            ? null
            : new MailServer(
                address,
                sender,
                address.UserInfo.Length > 0 ? Uri.UnescapeDataString(address.UserInfo) : null,
                secret
            );
    }

    internal SignInProvider? Provider(
        Setting issuer,
        Setting client,
        Setting secret,
        Setting scopes,
        Setting groups,
        Setting levels
    )
    {
        var address = Read(
            issuer,
            text =>
                Uri.TryCreate(text, UriKind.Absolute, out var uri)
                && uri is { UserInfo: "", Query: "", Fragment: "" }
                && (uri.Scheme == "https" || (uri.Scheme == "http" && uri.IsLoopback))
                    ? uri
                    : null,
            "an https address, as the provider names itself"
        );
        var (proof, mapped) = (
            Secret(secret),
            Read(levels, LevelsIn, "GROUP=LEVEL with commas between, such as it-desk=technician")
        );
        foreach (var needed in (Setting[])[client, secret, levels])
            Needs(issuer, needed, "to sign people in");
        foreach (var needless in (Setting[])[client, secret, scopes, groups, levels])
            Needs(needless, issuer, "which signs people in");
        return address is null || proof is null || mapped is null || Text(client) is not { } name
            ? null
            : new SignInProvider(
                address,
                name,
                proof,
                [.. Text(scopes)?.Split([' ', ','], StringSplitOptions.RemoveEmptyEntries) ?? []],
                Text(groups) ?? "groups",
                mapped
            );
    }

    private static List<GroupLevel>? LevelsIn(string text)
    {
        var read = text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            .Select(pair =>
                pair.LastIndexOf('=') is > 0 and var at && Words.Find<AccessLevel>(pair[(at + 1)..].Trim()) is { } level
                    ? new GroupLevel(pair[..at].Trim(), level)
                    : null
            )
            .ToList();
        return read.Count == 0 || read.Contains(null) ? null : [.. read.OfType<GroupLevel>()];
    }

    /// <summary>The first line of a file that must not be empty.</summary>
    internal string? Secret(Setting setting) =>
        Read(
            setting,
            text => FirstLine(text) is { Length: > 0 } line ? line : null,
            "a file that can be read and is not empty"
        );

    internal BackupPlan? Backups(Setting folder, Setting every, Setting keep)
    {
        var hours = Number(every, 1, 24 * 31);
        var count = Number(keep, 1, 1_000);
        Needs(every, folder, "into which backups are made");
        Needs(keep, folder, "into which backups are made");
        return Text(folder) is { } path
            ? new BackupPlan(Path.GetFullPath(path), TimeSpan.FromHours(hours ?? 24), count ?? 14)
            : null;
    }

    /// <summary>One setting means nothing without another.</summary>
    internal void Needs(Setting one, Setting other, string why)
    {
        if (values.TryGetValue(one.Name, out var set) && !values.ContainsKey(other.Name))
            _errors.Add($"{set.Where} needs {other.Name} too, {why}.");
    }

    private T? Read<T>(Setting setting, Func<string, T?> parse, string expected)
    {
        if (!values.TryGetValue(setting.Name, out var value))
            return default;
        if (parse(value.Text) is { } read)
            return read;
        _errors.Add(
            $"{value.Where}: {setting.Name} `{WithoutPassword().Replace(value.Text, ":…@")}` cannot be used. Expected {expected}."
        );
        return default;
    }

    /// <summary>What is refused is shown, and nobody's password with it.</summary>
    [GeneratedRegex(":[^:@/]+@")]
    private static partial Regex WithoutPassword();

    private static Uri? HttpsOf(string text) =>
        Uri.TryCreate(text, UriKind.Absolute, out var address)
        && address is { Scheme: "https", PathAndQuery: "/", UserInfo: "", Fragment: "" }
            ? address
            : null;

    private static string? FirstLine(string file)
    {
        try
        {
            return File.ReadLines(file).FirstOrDefault() ?? "";
        }
        catch (Exception unreadable) when (unreadable is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    private static List<string>? AuthoritiesIn(string file)
    {
        try
        {
            var read = new X509Certificate2Collection();
            read.ImportFromPemFile(file);
            return read.Count == 0 ? null : [.. read.Select(c => Convert.ToBase64String(c.RawData))];
        }
        catch (Exception unfit) when (unfit is IOException or UnauthorizedAccessException or CryptographicException)
        {
            return null;
        }
    }
}
