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
}
