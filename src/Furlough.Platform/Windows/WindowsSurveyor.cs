using System.Runtime.Versioning;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Platform.Surveys;
using Microsoft.Win32;

namespace Furlough.Platform.Windows;

/// <summary>Looks at a Windows system: volumes, profiles, their user folders, and the originals that wait.</summary>
[SupportedOSPlatform("windows")]
internal sealed class WindowsSurveyor(
    WindowsVolumes volumes,
    WindowsPointers pointers,
    WindowsActivity activity,
    string? fallback,
    string agentVersion,
    TimeProvider time
) : ISurveyor
{
    /// <summary>What programs keep in a home only to be quicker.</summary>
    private static readonly string[] Caches = [@"AppData\Local\Temp", @"AppData\Local\Microsoft\Windows\INetCache"];

    private TreeSurvey Trees => field ??= new TreeSurvey(Open, WindowsVolumes.TryOpenVolume, volumes, activity, time);

    public Survey Take(
        IReadOnlyList<KindCard> kinds,
        IReadOnlyList<OriginalFacts> originals,
        Func<Guid, bool> knows,
        CancellationToken stop
    )
    {
        var begun = time.GetUtcNow();
        List<string> notes = [];
        var found = WindowsVolumes.Survey(notes);
        var clusters = found.Select(v => v.ClusterBytes).Distinct().Order().ToList();
        List<AccountFacts> accounts = [];
        List<HoldingFacts> holdings = [];
        foreach (var profile in WindowsProfiles.All())
        {
            accounts.Add(
                new AccountFacts(profile.Name, profile.Sid, profile.Home, profile.Name == fallback, profile.IsSignedIn)
                {
                    Session = profile.Session,
                }
            );
            foreach (var card in kinds.Where(k => !k.Shared))
                if (LookAtKind(profile, card, clusters, notes, stop) is { } kind)
                    holdings.Add(kind);
            var folders = ReadFolders(profile, notes);
            if (LookAtHome(profile, folders, clusters, notes, stop) is { } home)
                holdings.Add(home);
            holdings.AddRange(
                folders
                    .Select(f => Trees.Look(f.Name, f.Path, f.Pointers, clusters, notes, stop))
                    .Where(f => f.Present)
                    .Select(f =>
                        f with
                        {
                            Stray = LookForStray(profile, f, stop),
                            HiddenIn = HiddenIn(profile.Home, f.PathShown),
                        }
                    )
            );
        }
        if (LookAtPrograms(notes) is { } programs)
            holdings.Add(programs);
        return new Survey(
            begun,
            OperatingSystem(),
            agentVersion,
            found,
            accounts,
            holdings,
            [.. originals.Select(o => Trees.LookAgain(o, holdings, stop))],
            [],
            notes
        )
        {
            RestartPending = RestartPending(),
            StartedAt = time.GetUtcNow() - TimeSpan.FromMilliseconds(Environment.TickCount64),
            CannotTell = true,
            Unproven = true,
        };
    }

    /// <summary>
    /// The whole home, hidden files included. The copies for older programs name the folders in it by their whole
    /// paths, so they are settings of it too.
    /// </summary>
    private HoldingFacts? LookAtHome(
        WindowsProfile profile,
        IReadOnlyList<(HoldingName Name, string Path, IReadOnlyList<PointerFacts> Pointers)> folders,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var (holding, address) = (
            new HoldingName(profile.Name, HoldingKind.Home, HoldingName.WholeHome),
            WindowsProfiles.Address(profile)
        );
        try
        {
            var place = WindowsVolumes.PlaceOf(profile.Home);
            var inner = WithinHome(profile, place, folders.SelectMany(f => f.Pointers));
            var found = Trees.Look(
                holding,
                profile.Home,
                [new PointerFacts(address, pointers.Read(address), place), .. inner],
                clusters,
                notes,
                stop
            );
            return found.Present
                ? found with
                {
                    Home = new HomeFacts(
                        [.. NamedBy(profile.Home)],
                        Caches.Sum(c => CacheBytes(profile.Home, c, stop)),
                        null,
                        NamesAccount: true
                    ),
                }
                : null;
        }
        catch (Fault fault)
        {
            notes.Add($"The home of {profile.Name} was passed over: {fault.Message}");
            return null;
        }
    }

    /// <summary>What leads into a home, as values that follow it.</summary>
    private static IEnumerable<PointerFacts> WithinHome(
        WindowsProfile profile,
        Place? home,
        IEnumerable<PointerFacts> pointers
    ) =>
        pointers
            .Where(p =>
                p.Value.Text is { } text && text.StartsWith($@"{profile.Home}\", StringComparison.OrdinalIgnoreCase)
            )
            .Select(p =>
                p with
                {
                    Address = p.Address with { Behind = p.Value.Text![profile.Home.Length..] },
                    Resolves = home,
                }
            );

    private long CacheBytes(string home, string folder, CancellationToken stop) =>
        WindowsVolumes.PlaceOf($@"{home}\{folder}") is { } place ? Trees.DataBytes(place, stop) : 0;

    /// <summary>Tasks of the system that name the home by its path.</summary>
    private static IEnumerable<string> NamedBy(string home)
    {
        const int most = 1 << 20;
        var tasks = $@"{Environment.SystemDirectory}\Tasks";
        if (!Directory.Exists(tasks))
            yield break;
        foreach (
            var file in Directory
                .EnumerateFiles(
                    tasks,
                    "*",
                    new EnumerationOptions { RecurseSubdirectories = true, IgnoreInaccessible = true }
                )
                .Order(StringComparer.OrdinalIgnoreCase)
        )
        {
            var named = false;
            try
            {
                named =
                    new FileInfo(file).Length <= most
                    && File.ReadAllText(file).Contains($@"{home}\", StringComparison.OrdinalIgnoreCase);
            }
            catch (Exception unread) when (unread is IOException or UnauthorizedAccessException) { }
            if (named)
                yield return $"the task `{file[(tasks.Length + 1)..]}`";
        }
    }

    /// <summary>Where an account's folders are by its settings, which are held no longer than that takes.</summary>
    private List<(HoldingName Name, string Path, IReadOnlyList<PointerFacts> Pointers)> ReadFolders(
        WindowsProfile profile,
        List<string> notes
    )
    {
        List<(HoldingName, string, IReadOnlyList<PointerFacts>)> folders = [];
        try
        {
            using var settings = AccountSettings.Of(profile);
            foreach (var (name, _, setting) in UserFolders.All)
                if (
                    ReadFolder(profile, new HoldingName(profile.Name, HoldingKind.Folder, name), setting, notes) is
                    { } folder
                )
                    folders.Add(folder);
        }
        catch (Fault fault)
        {
            notes.Add($"The folders of {profile.Name} were passed over: {fault.Message}");
        }
        return folders;
    }

    /// <summary>What a card describes is there when its program is, or else when one of its settings is.</summary>
    private HoldingFacts? LookAtKind(
        WindowsProfile profile,
        KindCard card,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var holding = new HoldingName(profile.Name, card.Holds, card.Name);
        if (
            card.Systems.Count > 0
            && !card.Systems.Any(p =>
                System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(p, OperatingSystem())
            )
        )
            return null;
        if (
            card.Pointers.Any(p => WindowsPointers.Address(profile, p) is null)
            || card.FoundBy is { } program && !Path.Exists(WindowsFilePointers.Filled(program, profile))
        )
            return null;
        var usual = card.Usual is null ? null : WindowsFilePointers.Filled(card.Usual, profile);
        List<PointerFacts> found = [];
        try
        {
            using var settings = card.Pointers.Any(p => p.Syntax == CardPointer.Registry)
                ? AccountSettings.Of(profile)
                : null;
            foreach (var address in card.Pointers.Select(p => WindowsPointers.Address(profile, p)!))
            {
                var value = pointers.Read(address);
                var leads = value.Text is null ? usual : pointers.Leads(address, value);
                found.Add(new PointerFacts(address, value, leads is null ? null : WindowsVolumes.PlaceOf(leads)));
            }
        }
        catch (Fault fault)
        {
            notes.Add($"The setting for {holding} was not read: {fault.Message}");
            return null;
        }
        if ((card.FoundBy is null || usual is null) && found.All(p => p.Value.Text is null))
            return null;
        var path = found.Select(p => p.Resolves).FirstOrDefault(p => p is not null) is { } place
            ? volumes.Show(place)
            : found.Select(p => p.Value.Text).FirstOrDefault(t => t is not null) ?? "";
        return (
            card.Holds == HoldingKind.InstallPath
                ? LookAtInstalled(holding, path, found, card.Lists, notes)
                : Trees.Look(holding, path, found, clusters, notes, stop)
        ) with
        {
            Program = card.Program,
        };
    }

    /// <summary>The first hidden folder on the way from a home to a path in it.</summary>
    private static string? HiddenIn(string home, string path)
    {
        if (!path.StartsWith(home + '\\', StringComparison.OrdinalIgnoreCase))
            return null;
        var at = home;
        foreach (var part in path[(home.Length + 1)..].Split('\\'))
        {
            at += '\\' + part;
            if (new DirectoryInfo(at) is { Exists: true } folder && folder.Attributes.HasFlag(FileAttributes.Hidden))
                return part;
        }
        return null;
    }

    /// <summary>What stands at the usual place of a folder that lives elsewhere.</summary>
    private StrayFolder? LookForStray(WindowsProfile profile, HoldingFacts folder, CancellationToken stop) =>
        WindowsVolumes.PlaceOf($@"{profile.Home}\{folder.Name.Name}") is { } usual
        && folder.Place is { } place
        && !WithoutCase(usual).IsInside(WithoutCase(place))
        && !WithoutCase(place).IsInside(WithoutCase(usual))
            ? Trees.Stray(usual, stop)
            : null;

    /// <summary>Settings spell the same path in upper and lower case.</summary>
    private static Place WithoutCase(Place place) => place with { Path = place.Path.ToUpperInvariant() };

    private (HoldingName, string, IReadOnlyList<PointerFacts>)? ReadFolder(
        WindowsProfile profile,
        HoldingName holding,
        string setting,
        List<string> notes
    )
    {
        var (address, copy) = UserFolders.Addresses(profile, setting);
        try
        {
            var value = pointers.Read(address);
            if (value.Text is null || pointers.Leads(address, value) is not { } path)
                return null;
            List<PointerFacts> found = [new(address, value, WindowsVolumes.PlaceOf(path))];
            if (pointers.Read(copy) is { Text: not null } older)
                found.Add(
                    new PointerFacts(
                        copy,
                        older,
                        pointers.Leads(copy, older) is { } leads ? WindowsVolumes.PlaceOf(leads) : null
                    )
                );
            return (holding, path, found);
        }
        catch (Fault fault)
        {
            notes.Add($"The setting for {holding} was not read: {fault.Message}");
            return null;
        }
    }

    private HoldingFacts? LookAtPrograms(List<string> notes)
    {
        var holding = new HoldingName("", HoldingKind.InstallPath, ProgramsPath.Name);
        try
        {
            List<PointerFacts> found =
            [
                .. ProgramsPath
                    .Addresses.Select(a => (Address: a, Value: pointers.Read(a)))
                    .Where(p => p.Value.Text is not null)
                    .Select(p => new PointerFacts(
                        p.Address,
                        p.Value,
                        pointers.Leads(p.Address, p.Value) is { } leads ? WindowsVolumes.PlaceOf(leads) : null
                    )),
            ];
            return found is [var first, ..] && pointers.Leads(first.Address, first.Value) is { } path
                ? LookAtInstalled(holding, path, found, "", notes)
                : null;
        }
        catch (Fault fault)
        {
            notes.Add($"The setting for {holding} was not read: {fault.Message}");
            return null;
        }
    }

    /// <summary>An install path is not measured: nothing of it moves.</summary>
    private HoldingFacts LookAtInstalled(
        HoldingName holding,
        string path,
        IReadOnlyList<PointerFacts> found,
        string lists,
        List<string> notes
    )
    {
        var place = found[0].Resolves;
        using var folder = place is null ? null : Open(place, notes);
        using var listed = folder is null || lists.Length == 0 ? null : Reach.TryFolder(folder, lists.Split('/'));
        var names = (lists.Length == 0 ? folder : listed)
            ?.List()
            .Where(e => e.Kind == NodeKind.Folder)
            .Select(e => e.Name)
            .Order(StringComparer.OrdinalIgnoreCase)
            .Take(HoldingFacts.MostEntries);
        return new HoldingFacts(holding, place, path, folder is not null, found, 0, 0, 0, [], Demands.None)
        {
            Installed = [.. names ?? []],
        };
    }

    private IFolder? Open(Place place, List<string> notes)
    {
        try
        {
            return WindowsVolumes.TryOpenFolder(place);
        }
        catch (Fault fault)
        {
            notes.Add(fault.Message);
            return null;
        }
    }

    private static bool RestartPending()
    {
        using var key = Registry.LocalMachine.OpenSubKey(
            @"SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update\RebootRequired"
        );
        return key is not null;
    }

    private static string OperatingSystem()
    {
        var name =
            Registry.GetValue(@"HKEY_LOCAL_MACHINE\SOFTWARE\Microsoft\Windows NT\CurrentVersion", "ProductName", null)
                as string
            ?? "Windows";
        return $"{name} ({Environment.OSVersion.Version}){(Native.IsCompatible ? ", compatible system" : "")}";
    }
}
