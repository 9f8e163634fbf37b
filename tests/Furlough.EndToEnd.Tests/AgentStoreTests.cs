using Furlough.Agent;
using Furlough.Agent.Journal;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class AgentStoreTests
{
    [Fact]
    public void What_volumes_held_while_the_service_was_away_is_remembered_until_it_knows()
    {
        var folder = Directory.CreateTempSubdirectory("furlough-store-");
        using var store = new AgentStore($"{folder.FullName}/agent.db");
        var volume = new VolumeFacts(
            new VolumeIdentity("v1", ""),
            "Data",
            "/data",
            Attachment.Internal,
            Medium.Solid,
            "ext4",
            1_000,
            400,
            1,
            false,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );
        Survey At(int hour, long free) =>
            new(
                DateTimeOffset.UnixEpoch.AddHours(hour),
                "",
                "",
                [volume with { FreeBytes = free }],
                [],
                [],
                [],
                [],
                []
            );
        store.KeepSpace(At(1, 400));
        store.KeepSpace(At(2, 300));
        store.Space().Select(s => (s.Volume, s.At.Hour, s.UsedBytes)).ShouldBe([("v1", 1, 600), ("v1", 2, 700)]);
        store.ForgetSpace(DateTimeOffset.UnixEpoch.AddHours(1));
        store.Space().Single().UsedBytes.ShouldBe(700);
        folder.Delete(recursive: true);
    }
}
