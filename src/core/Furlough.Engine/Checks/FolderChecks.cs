using System.Text;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Checks;

/// <summary>A check that was not passed.</summary>
public sealed class CheckFailedException(string message) : Exception(message);

/// <summary>What a volume is asked to keep.</summary>
/// <param name="Links">Links can be made.</param>
/// <param name="FurtherNames">A file can have several names.</param>
/// <param name="Rights">Modes, and times to the nanosecond, are kept.</param>
public sealed record FolderTraits(bool Links, bool FurtherNames, bool Rights)
{
    /// <summary>Texts of further links that the system knows, which lead to folders that are there.</summary>
    public IReadOnlyList<string> FolderLinks { get; init; } = [];

    /// <summary>What a volume's abilities promise.</summary>
    public static FolderTraits Of(FileSystemAbilities abilities) =>
        new(abilities.Links, abilities.HardLinks, abilities is { Owners: true, TimeStepNanoseconds: 1 });
}

/// <summary>
/// What every adapter of a file system must do, real or simulated: the tests ask it of all of them, and a machine of
/// its own when its agent is told to check.
/// </summary>
public static class FolderChecks
{
    /// <summary>All of them by what they say. Each needs an empty folder.</summary>
    public static IReadOnlyDictionary<string, Action<IFolder, FolderTraits>> All { get; } =
        new Dictionary<string, Action<IFolder, FolderTraits>>
        {
            ["what is appended is read back"] = (root, _) => ReadBack(root),
            ["a name that is taken is never overwritten (I7)"] = (root, _) => NeverOverwritten(root),
            ["a folder that is not empty is not removed"] = (root, _) => FullIsKept(root),
            ["a folder keeps its identity and what is in it when it is moved"] = (root, _) => Moved(root),
            ["rights and times are kept, to the nanosecond where the volume can"] = Dated,
            ["a copy has the digest of its source and reads back the same"] = (root, _) => Copied(root),
            ["links are read and never followed (I8)"] = Linked,
            ["rights are given to what was looked at and never to what a link in its place leads to (I8)"] =
                GivenToItself,
            ["a further name of a file is the same file"] = NamedTwice,
            ["what is missing is said to be missing"] = (root, _) => Missing(root),
        };

    private static void ReadBack(IFolder root)
    {
        using (var file = root.MakeFile("note"))
        {
            file.Append("one "u8);
            file.Append("two"u8);
            file.Flush();
        }
        using var again = root.OpenFile("note");
        using var reader = new StreamReader(again.Read());
        Same(reader.ReadToEnd(), "one two", "the content");
        Same(again.Facts().SizeBytes, 7, "the size");
    }

    private static void NeverOverwritten(IFolder root)
    {
        root.MakeFile("taken").Dispose();
        root.MakeFolder("folder", 0x1C0).Dispose();
        Refused(() => root.MakeFile("taken").Dispose(), IoReason.Exists);
        Refused(() => root.MakeFolder("taken", 0x1C0).Dispose(), IoReason.Exists);
        Refused(() => root.Move("folder", root, "taken"), IoReason.Exists);
        Same(root.List().Count, 2, "the number of entries");
    }

    private static void FullIsKept(IFolder root)
    {
        using (var folder = root.MakeFolder("full", 0x1C0))
            folder.MakeFile("x").Dispose();
        Refused(() => root.RemoveFolder("full"), IoReason.NotEmpty);
        using (var folder = root.OpenFolder("full"))
            folder.RemoveFile("x");
        root.RemoveFolder("full");
        Same(root.Find("full") is null, true, "that it is gone");
    }

    private static void Moved(IFolder root)
    {
        using (var folder = root.MakeFolder("from", 0x1C0))
        using (var file = folder.MakeFile("inside"))
            file.Append("kept"u8);
        var before = root.Find("from")!.Value;
        using (var to = root.MakeFolder("to", 0x1C0))
            root.Move("from", to, "there");
        Same(root.Find("from") is null, true, "that it left");
        using var arrived = root.OpenFolder("to");
        Same(arrived.Find("there")?.FileId, before.FileId, "its identity");
        using var moved = arrived.OpenFolder("there");
        Same(moved.Find("inside")?.SizeBytes, 4, "the size of what is in it");
    }

    private static void Dated(IFolder root, FolderTraits traits)
    {
        const long time = 981_173_046_789_012_300,
            second = 1_000_000_000;
        using (var file = root.MakeFile("dated"))
            file.Apply(file.Facts() with { Mode = 0x1A0, ModifiedNs = time }, Attributes.None);
        var facts = root.Find("dated")!.Value;
        Same(time / second - facts.ModifiedNs / second is >= 0 and <= 2, true, "the time to two seconds");
        if (!traits.Rights)
            return;
        Same(facts.Mode, 0x1A0u, "the mode");
        Same(facts.ModifiedNs, time, "the time");
    }

    private static void Copied(IFolder root)
    {
        var content = Encoding.UTF8.GetBytes(string.Concat(Enumerable.Range(0, 40_000).Select(i => $"line {i}\n")));
        using (var file = root.MakeFile("source"))
            file.Append(content);
        using var source = root.OpenFile("source");
        UInt128 digest;
        using (var copy = root.MakeFile("copy"))
            digest = source.CopyTo(copy, new ByteCounter(), CancellationToken.None);
        using var again = root.OpenFile("copy");
        Same(again.ReadBack(new ByteCounter(), CancellationToken.None).Digest, digest, "the digest read back");
        var expected = new ContentDigest();
        expected.Add(0, content);
        Same(digest, expected.Finish(content.Length), "the digest");
    }

    private static void Linked(IFolder root, FolderTraits traits)
    {
        if (!traits.Links)
            return;
        root.MakeFolder("real", 0x1C0).Dispose();
        root.MakeLink("link", "real");
        root.MakeLink("file-link", "/etc/passwd");
        Same(root.ReadLink("link"), "real", "where the link leads");
        Refused(() => root.OpenFolder("link").Dispose(), IoReason.BehindLink, IoReason.NotAFolder);
        Refused(() => root.OpenFile("file-link").Dispose(), IoReason.BehindLink, IoReason.NotSupported);
        Same(root.Find("link")?.Kind, NodeKind.Link, "its kind");
        foreach (var text in traits.FolderLinks)
        {
            root.MakeLink("further", text);
            Same(root.ReadLink("further"), text, "where the link leads");
            Same(root.Find("further")?.Kind, NodeKind.Link, "its kind");
            Refused(() => root.OpenFolder("further").Dispose(), IoReason.BehindLink);
            root.RemoveFile("further");
            Same(root.Find("further") is null, true, "that the link is gone");
        }
    }

    private static void GivenToItself(IFolder root, FolderTraits traits)
    {
        if (!traits.Links || !traits.Rights)
            return;
        root.MakeFile("closed").Dispose();
        var before = root.Find("closed")!.Value;
        root.MakeLink("swapped", "closed");
        try
        {
            root.ApplyTo(
                "swapped",
                root.Find("swapped")!.Value with
                {
                    Kind = NodeKind.Fifo,
                    Mode = 0x1B6,
                    Owner = 1701,
                }
            );
        }
        catch (IoFault) { }
        var after = root.Find("closed")!.Value;
        Same(
            (after.Mode, after.Owner, after.ModifiedNs),
            (before.Mode, before.Owner, before.ModifiedNs),
            "what it leads to"
        );
    }

    private static void NamedTwice(IFolder root, FolderTraits traits)
    {
        if (!traits.FurtherNames)
            return;
        root.MakeFile("first").Dispose();
        root.MakeHardLink("second", root, "first");
        Same(root.Find("second")?.FileId, root.Find("first")?.FileId, "the identity of both names");
        Same(root.Find("second")?.Links, 2, "the number of names");
    }

    private static void Missing(IFolder root)
    {
        Same(root.Find("nothing") is null, true, "that nothing is there");
        Refused(() => root.OpenFile("nothing").Dispose(), IoReason.NotFound);
        Refused(() => root.OpenFolder("nothing").Dispose(), IoReason.NotFound);
        Refused(() => root.RemoveFile("nothing"), IoReason.NotFound);
    }

    private static void Same<T>(T found, T expected, string what)
    {
        if (!EqualityComparer<T>.Default.Equals(found, expected))
            throw new CheckFailedException($"{what} should be {expected} and is {found}");
    }

    private static void Refused(Action act, params IoReason[] reasons)
    {
        try
        {
            act();
        }
        catch (IoFault fault) when (reasons.Contains(fault.Reason))
        {
            return;
        }
        catch (IoFault fault)
        {
            throw new CheckFailedException(
                $"it should be refused as {string.Join(" or ", reasons)} and was as {fault.Reason}: {fault.Message}"
            );
        }
        throw new CheckFailedException($"it should be refused as {string.Join(" or ", reasons)} and was not");
    }
}
