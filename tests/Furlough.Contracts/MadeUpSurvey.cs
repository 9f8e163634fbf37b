using Furlough.Model;

namespace Furlough.Contracts;

/// <summary>What a machine that a test speaks for says of itself.</summary>
public static class MadeUpSurvey
{
    /// <summary>A person with two folders on a system volume, and a second volume.</summary>
    public static Survey Usual(DateTimeOffset? at = null)
    {
        var system = new VolumeFacts(
            new VolumeIdentity("v1", ""),
            "System",
            "/",
            Attachment.Internal,
            Medium.Solid,
            "ext4",
            100_000_000_000,
            40_000_000_000,
            4096,
            true,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );
        var data = new VolumeFacts(
            new VolumeIdentity("v2", ""),
            "Data",
            "/data",
            Attachment.Internal,
            Medium.Rotating,
            "ext4",
            900_000_000_000,
            800_000_000_000,
            4096,
            false,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );
        HoldingFacts Folder(string name)
        {
            var place = new Place("v1", $"home/asa.lind/{name}");
            return new HoldingFacts(
                new HoldingName("asa.lind", HoldingKind.Folder, name),
                place,
                $"/home/asa.lind/{name}",
                true,
                [
                    new PointerFacts(
                        new PointerAddress("user-dirs", "/home/asa.lind/.config/user-dirs.dirs", name, "asa.lind"),
                        new PointerValue("text", $"$HOME/{name}"),
                        place
                    ),
                ],
                3,
                7_000,
                0,
                [],
                Demands.None
            );
        }
        return new Survey(
            at ?? TimeProvider.System.GetUtcNow(),
            "Fen 12",
            "1",
            [system, data],
            [
                new AccountFacts("asa.lind", "1701", "/home/asa.lind", false, false),
                new AccountFacts("keeper", "1900", "/home/keeper", true, false),
            ],
            [Folder("Documents"), Folder("Pictures")],
            [],
            [],
            []
        );
    }
}
