using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>People and programs of a stand-in.</summary>
internal sealed class StationActivity(StationMachine machine) : IActivity
{
    public IReadOnlyList<string> InUse(Place place) =>
        [
            .. machine
                .Spec.Faults.OfType<HeldOpen>()
                .Where(h => place.Path == $"Accounts/{h.Account}/{h.Folder}")
                .Select(h => $"{h.Program} ({h.Account}): {machine.Volumes.Show(place)}\\{h.File}"),
        ];

    public string? SignInRecord(string account) => machine.IsBarred(account) ? "barred" : "allowed";

    public void BarSignIn(string account) => machine.SetBarred(account, true);

    public void AllowSignIn(string account, string record) => machine.SetBarred(account, record == "barred");

    public void GiveWay(bool gives) { }

    public IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs) => [];

    /// <summary>Of the programs of kind cards, those that make a library are there.</summary>
    public string? Ask(string account, IReadOnlyList<string> command)
    {
        lock (machine.Lock)
        {
            var person = machine.Spec.Accounts.First(a => a.Name == account);
            if (person.Folders.FirstOrDefault(f => f.MadeBy == command[0]) is not { } library)
                return null;
            var home = StationPointers.Resolve(machine, account, new PointerValue("text", "%PROFILE%"))!;
            var root = new StationFolder(
                machine,
                machine.VolumeStates.First(v => v.Identity.Key == home.Volume).Root,
                ""
            );
            using var folder = Reach.Folder(root, home.Parts).MakeFolder(library.Name, 0x1C0);
            using (var index = folder.MakeFile($"{library.Stem}{library.Ending}"))
            {
                index.Append("Nothing yet.\n"u8);
                index.Apply(index.Facts() with { Owner = person.Id, Group = person.Id }, Attributes.None);
            }
            folder.Apply(folder.Facts() with { Owner = person.Id, Group = person.Id }, Attributes.None);
            machine.SetSetting(
                StationPointers.Current(account),
                library.Name,
                new PointerValue("expandable", $"%PROFILE%\\{library.Name}")
            );
            return "";
        }
    }

    public IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff) =>
        machine.Spec.Accounts.Any(a => a.Name == account && a.SignedIn)
            ? new StationNotice(mayPutOff && machine.Spec.Faults.OfType<PutsOff>().Any(p => p.Account == account))
            : null;

    public string? WhereIs(HoldingName holding)
    {
        var value =
            holding.Kind == HoldingKind.App
                ? machine.Setting(StationPointers.AddressOfApp(holding.Name).Container, holding.Name)
            : holding.Name == StationPointers.AppVolumeKey ? PointerValue.Absent
            : holding.IsShared ? machine.Setting(StationPointers.AddressesOfPrograms[0].Container, holding.Name)
            : holding.Kind == HoldingKind.Home ? machine.Setting(StationPointers.Accounts, holding.Account)
            : machine.Setting(StationPointers.Current(holding.Account), holding.Name);
        return StationPointers.Resolve(machine, holding.Account, value) is { } place
            ? machine.Volumes.Show(place)
            : null;
    }
}

/// <summary>A notice on a stand-in's screen, and what the person there does with it.</summary>
internal sealed class StationNotice(bool isPutOff) : IShownNotice
{
    public bool IsPutOff => isPutOff;

    public bool HasLeft => false;

    public void Dispose() { }
}
