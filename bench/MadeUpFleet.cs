using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Bench;

/// <summary>A large fleet of made-up machines with two volumes and 12 holdings each, the same every time.</summary>
internal static class MadeUpFleet
{
    private const long GB = 1_000_000_000;

    private static readonly string[] Folders = ["Documents", "Downloads", "Music", "Pictures", "Videos", "Desktop"],
        Accounts = ["asa.lind", "bo.tarrant"];

    /// <summary>Its machines, surveyed two hours ago.</summary>
    internal static List<FleetMachine> Of(int count, DateTimeOffset now)
    {
        var random = new Random(7);
        return
        [
            .. Enumerable
                .Range(0, count)
                .Select(i => new FleetMachine(
                    Guid.NewGuid(),
                    $"bay-{i:D5}",
                    $"Field Bay {i / 40 + 1}",
                    SurveyOf(random, now),
                    false
                )),
        ];
    }

    private static Survey SurveyOf(Random random, DateTimeOffset now)
    {
        var (system, data) = (Guid.NewGuid().ToString(), Guid.NewGuid().ToString());
        List<HoldingFacts> holdings = [];
        foreach (var account in Accounts)
        foreach (var folder in Folders)
        {
            var place = new Place(system, $"Accounts/{account}/{folder}");
            var settings = Enumerable
                .Range(0, 2)
                .Select(p => new PointerFacts(
                    new PointerAddress("setting", $"{account} {p}", folder, account),
                    new PointerValue("text", $"C:\\Accounts\\{account}\\{folder}"),
                    place
                ))
                .ToList();
            holdings.Add(
                new HoldingFacts(
                    new HoldingName(account, HoldingKind.Folder, folder),
                    place,
                    $"C:\\Accounts\\{account}\\{folder}",
                    true,
                    settings,
                    random.Next(10, 40_000),
                    (long)(GB * Math.Exp(4 * random.NextDouble()) / 2),
                    0,
                    [],
                    Demands.None
                )
            );
        }
        return new Survey(
            now.AddHours(-2),
            "Fenland Desk 4",
            "1",
            [
                Volume(system, "C:", Medium.Solid, 480 * GB, random.Next(10, 200) * GB, true),
                Volume(data, "D:", Medium.Rotating, 2_000 * GB, 1_800 * GB, false),
            ],
            [
                .. Accounts.Select((a, i) => new AccountFacts(a, $"{1001 + i}", $"Accounts/{a}", false, false)),
                new AccountFacts("keeper", "1900", "", true, false),
            ],
            holdings,
            [],
            [],
            []
        );
    }

    private static VolumeFacts Volume(string key, string root, Medium medium, long size, long free, bool isSystem) =>
        new(
            new VolumeIdentity(key, key),
            isSystem ? "System" : "Data",
            root,
            Attachment.Internal,
            medium,
            "journalled",
            size,
            free,
            4096,
            isSystem,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );
}
