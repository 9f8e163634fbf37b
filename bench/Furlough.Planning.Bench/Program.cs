using System.Diagnostics;
using System.Globalization;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Plans;
using Furlough.Planning.Suggestions;

// Measures planning and suggesting over large made-up fleets: 12 holdings on each machine.
const long GB = 1_000_000_000;
const int holdingsEach = 12;
string[] folders = ["Documents", "Downloads", "Music", "Pictures", "Videos", "Desktop"];
var now = new DateTimeOffset(2026, 11, 1, 0, 0, 0, TimeSpan.Zero);
var brief = BriefReader.Read("""
    furlough-brief: 1
    title: Everything
    machines: all
    volumes: {roomy: {attached: internal, system: false}}
    relocate:
      - {folders: [Documents, Downloads, Music, Pictures, Videos, Desktop], onto: roomy, path: "People/{account}/{folder}", method: warm}
    reserve: {system: 20%, others: 10%}
    waves: {pilot: 10 machines, early: 25% of machines, everybody: the rest}
    """);

Console.WriteLine("| what | machines | relocations | seconds | most memory |");
Console.WriteLine("|---|---:|---:|---:|---:|");
foreach (var machines in (int[])[1_000, 10_000])
{
    var fleet = Fleet(machines);
    Planner.Make(brief, fleet.Take(100), Experience.None, now);
    var watch = Stopwatch.StartNew();
    var plan = Planner.Make(brief, fleet, Experience.None, now);
    var digest = Planner.Digest(plan);
    Row("plan with its digest", machines, plan.Relocations.Count, watch.Elapsed);
    GC.KeepAlive(digest);
}
{
    var fleet = Fleet(1_000);
    var wish = new SpaceWish(new MachineChoice([], [], []), 60 * GB, null, new ReserveAmount(0.1, null), Weights.Usual);
    var watch = Stopwatch.StartNew();
    var suggestions = new FleetSuggestion(wish, Experience.None).Of(fleet);
    Row($"suggestion ({suggestions.Count(s => s is { Reached: true, Gap: 0 })} proven the best, {suggestions.Count(s => !s.Reached)} out of reach, {suggestions.Count(s => s.Gap > 0)} with a gap of {suggestions.Max(s => s.Gap ?? 0).ToString("0.0%", CultureInfo.InvariantCulture)} at most)", 1_000, suggestions.Sum(s => s.Moves.Count), watch.Elapsed);
}

static void Row(string what, int machines, int relocations, TimeSpan took) =>
    Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"| {what} | {machines:N0} | {relocations:N0} | {took.TotalSeconds:0.00} | {Process.GetCurrentProcess().PeakWorkingSet64 / 1e6:0} MB |"));

List<FleetMachine> Fleet(int count)
{
    var random = new Random(7);
    return [.. Enumerable.Range(0, count).Select(i => One($"bay-{i:D5}", $"Field Bay {i / 40 + 1}", random))];
}

FleetMachine One(string name, string room, Random random)
{
    var (system, data) = (Guid.NewGuid().ToString(), Guid.NewGuid().ToString());
    VolumeFacts Volume(string key, string root, Medium medium, long size, long free, bool isSystem) =>
        new(new VolumeIdentity(key, key), isSystem ? "System" : "Data", root, Attachment.Internal, medium, "journalled", size, free, 4096, isSystem, true, false, true, FileSystemAbilities.Full, []);
    var accounts = new[] { "asa.lind", "bo.tarrant" };
    List<HoldingFacts> holdings = [];
    for (var h = 0; h < holdingsEach; h++)
    {
        var (account, folder) = (accounts[h / folders.Length], folders[h % folders.Length]);
        var place = new Place(system, $"Accounts/{account}/{folder}");
        var settings = Enumerable.Range(0, 2).Select(p => new PointerFacts(new PointerAddress("setting", $"{account} {p}", folder, account), new PointerValue("text", $"C:\\Accounts\\{account}\\{folder}"), place)).ToList();
        holdings.Add(new HoldingFacts(new HoldingName(account, HoldingKind.Folder, folder), place, $"C:\\Accounts\\{account}\\{folder}", true, settings, random.Next(10, 40_000), (long)(GB * Math.Exp(4 * random.NextDouble()) / 2), 0, [], Demands.None));
    }
    var survey = new Survey(now.AddHours(-2), "Fenland Desk 4", "1", [Volume(system, "C:", Medium.Solid, 480 * GB, random.Next(10, 200) * GB, true), Volume(data, "D:", Medium.Rotating, 2_000 * GB, 1_800 * GB, false)],
        [.. accounts.Select((a, i) => new AccountFacts(a, $"{1001 + i}", $"Accounts/{a}", false, false)), new AccountFacts("keeper", "1900", "", true, false)], holdings, [], [], []);
    return new FleetMachine(Guid.NewGuid(), name, room, survey, false);
}
