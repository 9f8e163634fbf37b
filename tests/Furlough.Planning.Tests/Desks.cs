using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Tests;

/// <summary>Small fleets for planning.</summary>
internal static class Desks
{
    internal const long GB = 1_000_000_000;

    internal static VolumeFacts Small(long free = 40 * GB) =>
        new(
            new VolumeIdentity("sys", "f1"),
            "System",
            "C:",
            Attachment.Internal,
            Medium.Solid,
            "journalled",
            200 * GB,
            free,
            4096,
            true,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );

    internal static VolumeFacts Data(long free = 500 * GB) =>
        new(
            new VolumeIdentity("data", "f2"),
            "Data",
            "D:",
            Attachment.Internal,
            Medium.Rotating,
            "journalled",
            1_000 * GB,
            free,
            4096,
            false,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );

    internal static HoldingFacts Holding(
        string folder = "Pictures",
        long bytes = 10 * GB,
        string account = "asa.lind",
        Place? place = null
    ) =>
        new(
            new HoldingName(account, HoldingKind.Folder, folder),
            place ?? new Place("sys", $"Accounts/{account}/{folder}"),
            $"C:\\Accounts\\{account}\\{folder}",
            true,
            [
                new PointerFacts(
                    new PointerAddress("test", "settings", folder, account),
                    new PointerValue("text", "old"),
                    place ?? new Place("sys", $"Accounts/{account}/{folder}")
                ),
            ],
            1_000,
            bytes,
            0,
            [],
            Demands.None
        );

    internal static Survey Survey(IReadOnlyList<VolumeFacts> volumes, params HoldingFacts[] holdings) =>
        new(
            DateTimeOffset.UnixEpoch,
            "test",
            "1",
            volumes,
            [
                new AccountFacts("asa.lind", "1001", "", false, false),
                new AccountFacts("keeper", "1900", "", true, false),
            ],
            holdings,
            [],
            [],
            []
        )
        {
            Backup = new BackupFacts(Now, [new Place("sys", ""), new Place("data", "")]),
        };

    internal static FleetMachine Machine(Survey? survey, string name = "herb-01", bool silent = false) =>
        new(Guid.Parse("0197a000-0000-7000-8000-0000000000aa"), name, "Herbarium", survey, silent);

    internal static Brief Brief(string change = "", string to = "") =>
        BriefReader.Read(
            change.Length == 0 ? BriefTests.Good : BriefTests.Good.Replace(change, to, StringComparison.Ordinal)
        );

    internal static PlanBody Plan(Brief brief, Survey survey) => Plan(brief, Machine(survey));

    internal static PlanBody Plan(Brief brief, params FleetMachine[] machines)
    {
        var plan = Planner.Make(brief, machines, Experience.None, Now);
        Found.Value?.UnionWith(plan.Hazards.Select(h => h.Code));
        return plan;
    }

    /// <summary>Where someone asks, the codes of all hazards in the plans made since.</summary>
    internal static AsyncLocal<HashSet<string>?> Found { get; } = new();

    /// <summary>When plans are made here: an hour after the surveys.</summary>
    internal static DateTimeOffset Now { get; } = DateTimeOffset.UnixEpoch.AddHours(1);
}
