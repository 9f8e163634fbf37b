using System.Text;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Shouldly;
using Xunit;

namespace Furlough.Contracts;

/// <summary>What every file system adapter must do, real or simulated.</summary>
public abstract class FolderContractTests
{
    /// <summary>An empty folder on a fresh volume.</summary>
    protected abstract IFolder Root { get; }

    /// <summary>Links can be made.</summary>
    protected virtual bool HasLinks => true;

    /// <summary>Hard links and pipes can be made.</summary>
    protected virtual bool HasFurtherNames => HasLinks;

    /// <summary>Modes and times finer than two seconds are kept.</summary>
    protected virtual bool HasRights => true;

    [Fact]
    public void What_is_appended_is_read_back()
    {
        using (var file = Root.MakeFile("note"))
        {
            file.Append("one "u8);
            file.Append("two"u8);
            file.Flush();
        }
        using var again = Root.OpenFile("note");
        using var reader = new StreamReader(again.Read());
        reader.ReadToEnd().ShouldBe("one two");
        again.Facts().SizeBytes.ShouldBe(7);
    }

    [Fact]
    public void A_name_that_is_taken_is_never_overwritten_I7()
    {
        Root.MakeFile("taken").Dispose();
        Root.MakeFolder("folder", 0x1C0).Dispose();
        Reason(() => Root.MakeFile("taken").Dispose()).ShouldBe(IoReason.Exists);
        Reason(() => Root.MakeFolder("taken", 0x1C0).Dispose()).ShouldBe(IoReason.Exists);
        Reason(() => Root.Move("folder", Root, "taken")).ShouldBe(IoReason.Exists);
        Root.List().Count.ShouldBe(2);
    }

    [Fact]
    public void A_folder_that_is_not_empty_is_not_removed()
    {
        using (var folder = Root.MakeFolder("full", 0x1C0)) folder.MakeFile("x").Dispose();
        Reason(() => Root.RemoveFolder("full")).ShouldBe(IoReason.NotEmpty);
        using (var folder = Root.OpenFolder("full")) folder.RemoveFile("x");
        Root.RemoveFolder("full");
        Root.Find("full").ShouldBeNull();
    }

    [Fact]
    public void A_folder_keeps_its_identity_and_what_is_in_it_when_it_is_moved()
    {
        using (var folder = Root.MakeFolder("from", 0x1C0))
        using (var file = folder.MakeFile("inside")) file.Append("kept"u8);
        var before = Root.Find("from")!.Value;
        using (var to = Root.MakeFolder("to", 0x1C0)) Root.Move("from", to, "there");
        Root.Find("from").ShouldBeNull();
        using var arrived = Root.OpenFolder("to");
        arrived.Find("there")!.Value.FileId.ShouldBe(before.FileId);
        using var moved = arrived.OpenFolder("there");
        moved.Find("inside")!.Value.SizeBytes.ShouldBe(4);
    }

    [Fact]
    public void Rights_and_times_are_kept_to_the_nanosecond_where_the_volume_can()
    {
        using (var file = Root.MakeFile("dated")) file.Apply(file.Facts() with { Mode = 0x1A0, ModifiedNs = 981_173_046_789_012_300 }, Attributes.None);
        var facts = Root.Find("dated")!.Value;
        (facts.ModifiedNs / 1_000_000_000).ShouldBeInRange(981_173_044, 981_173_046);
        if (!HasRights) return;
        facts.Mode.ShouldBe(0x1A0u);
        facts.ModifiedNs.ShouldBe(981_173_046_789_012_300);
    }

    [Fact]
    public void A_copy_has_the_digest_of_its_source_and_reads_back_the_same()
    {
        var content = Encoding.UTF8.GetBytes(string.Concat(Enumerable.Range(0, 40_000).Select(i => $"line {i}\n")));
        using (var file = Root.MakeFile("source")) file.Append(content);
        using var source = Root.OpenFile("source");
        UInt128 digest;
        using (var copy = Root.MakeFile("copy")) digest = source.CopyTo(copy, new ByteCounter(), CancellationToken.None);
        using var again = Root.OpenFile("copy");
        again.ReadBack(new ByteCounter(), CancellationToken.None).Digest.ShouldBe(digest);
        var expected = new ContentDigest();
        expected.Add(0, content);
        digest.ShouldBe(expected.Finish(content.Length));
    }

    [Fact]
    public void Links_are_read_and_never_followed_I8()
    {
        if (!HasLinks) return;
        Root.MakeFolder("real", 0x1C0).Dispose();
        Root.MakeLink("link", "real");
        Root.MakeLink("file-link", "/etc/passwd");
        Root.ReadLink("link").ShouldBe("real");
        Reason(() => Root.OpenFolder("link").Dispose()).ShouldBeOneOf(IoReason.BehindLink, IoReason.NotAFolder);
        Reason(() => Root.OpenFile("file-link").Dispose()).ShouldBeOneOf(IoReason.BehindLink, IoReason.NotSupported);
        Root.Find("link")!.Value.Kind.ShouldBe(NodeKind.Link);
    }

    [Fact]
    public void A_further_name_of_a_file_is_the_same_file()
    {
        if (!HasFurtherNames) return;
        Root.MakeFile("first").Dispose();
        Root.MakeHardLink("second", Root, "first");
        Root.Find("second")!.Value.FileId.ShouldBe(Root.Find("first")!.Value.FileId);
        Root.Find("second")!.Value.Links.ShouldBe(2);
    }

    [Fact]
    public void What_is_missing_is_said_to_be_missing()
    {
        Root.Find("nothing").ShouldBeNull();
        Reason(() => Root.OpenFile("nothing").Dispose()).ShouldBe(IoReason.NotFound);
        Reason(() => Root.OpenFolder("nothing").Dispose()).ShouldBe(IoReason.NotFound);
        Reason(() => Root.RemoveFile("nothing")).ShouldBe(IoReason.NotFound);
    }

    protected static IoReason Reason(Action act) => Should.Throw<IoFault>(act).Reason;
}
