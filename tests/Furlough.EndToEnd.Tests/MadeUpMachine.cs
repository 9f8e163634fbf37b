using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.EndToEnd.Tests;

/// <summary>A machine that a test itself speaks for: enrolled, with a session.</summary>
internal sealed class MadeUpMachine : IDisposable
{
    private readonly SigningKey _key;
    private readonly string _name;
    private readonly Guid _machine;

    internal MadeUpMachine(Field field, string name)
    {
        Http = new HttpClient { BaseAddress = new Uri(field.Address + "/") };
        Client = new AgentClient(Http);
        (_key, _name) = (SigningKey.Make(), name);
        var enrolled = Client
            .EnrolAsync(
                new EnrolRequest(
                    field.Invite(),
                    name,
                    "Map Room",
                    _key.Public,
                    $"{name}-itself",
                    ProtocolVersion.Newest
                ),
                CancellationToken.None
            )
            .GetAwaiter()
            .GetResult();
        _machine = enrolled.Machine;
        Session = Open(Client);
    }

    /// <summary>Opens a session as its agent, or as an agent with a copy of its key.</summary>
    internal string Open(AgentClient agent) =>
        agent
            .OpenSessionAsync(_key, _machine, $"{_name}-itself", AgentCounters.None, CancellationToken.None)
            .GetAwaiter()
            .GetResult()
            .Token;

    internal HttpClient Http { get; }

    internal AgentClient Client { get; }

    internal string Session { get; }

    public void Dispose() => Http.Dispose();

    internal void Survey(Survey survey) =>
        Client.SurveyAsync(Session, survey, CancellationToken.None).GetAwaiter().GetResult();

    /// <summary>A person with two folders on a system volume, and a second volume.</summary>
    internal static Survey Usual()
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
            TimeProvider.System.GetUtcNow(),
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
