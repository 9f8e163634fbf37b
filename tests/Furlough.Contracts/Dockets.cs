using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Contracts;

/// <summary>Dockets as the service would make them from a survey.</summary>
public static class Dockets
{
    public static readonly Guid Machine = Guid.Parse("0197a000-0000-7000-8000-000000000001");

    public static Docket Relocate(
        Survey survey,
        string name,
        string path,
        Func<VolumeFacts, bool>? onto = null,
        Method method = Method.Cold,
        string account = "asa.lind"
    )
    {
        var holding = survey.Holdings.First(h => h.Name.Name == name && h.Name.Account == account);
        var source = survey.VolumeOf(holding.Place)!;
        var target = survey.Volumes.First(onto ?? (v => !v.System));
        return new Docket
        {
            Id = Guid.CreateVersion7(),
            Relocation = 1,
            Machine = Machine,
            Supersession = 1,
            NotBefore = DateTimeOffset.MinValue,
            NotAfter = DateTimeOffset.MaxValue,
            Work = DocketWork.Relocate,
            Method = method,
            Holding = holding.Name,
            AccountId = survey.Accounts.First(a => a.Name == account).Id,
            Source = holding.Place!,
            Target = new Place(target.Identity.Key, path),
            SourceVolume = source.Identity,
            TargetVolume = target.Identity,
            OwnedFrom = 1,
            Pointers = [.. holding.Pointers.Select(p => new PointerChange(p.Address, p.Value, null))],
            Files = holding.Files,
            DataBytes = holding.DataBytes,
            Originals = [],
            Supersedes = [],
            Terms = Terms.Plain,
        };
    }

    public static Docket Return(RelocationChange done)
    {
        var d = done.Docket;
        return d with
        {
            Id = Guid.CreateVersion7(),
            Supersession = d.Supersession + 1,
            Work = DocketWork.Return,
            Source = d.Target,
            Target = d.Source,
            SourceVolume = d.TargetVolume,
            TargetVolume = d.SourceVolume,
            OwnedFrom = 0,
            Pointers =
            [
                .. done.Pointers.Select(p => new PointerChange(p.Address, p.After, p.Before) { Within = p.Within }),
            ],
            Supersedes = [d.Id],
        };
    }

    public static Docket FallBack(RelocationChange done) =>
        Return(done) with
        {
            Work = DocketWork.FallBack,
            Originals = [done.Docket.Id],
        };

    public static Docket Discard(RelocationChange done) =>
        Staying(done) with
        {
            Work = DocketWork.Discard,
            Originals = [done.Docket.Id],
            Discards = new DiscardTerms(DateTimeOffset.MinValue, null, []),
        };

    public static Docket Gather(RelocationChange done) =>
        Staying(done) with
        {
            Work = DocketWork.Gather,
            Method = Method.Warm,
        };

    private static Docket Staying(RelocationChange done) =>
        done.Docket with
        {
            Id = Guid.CreateVersion7(),
            Supersession = done.Docket.Supersession + 1,
            Pointers = [.. done.Pointers.Select(p => new PointerChange(p.Address, p.Before, p.After))],
        };
}
