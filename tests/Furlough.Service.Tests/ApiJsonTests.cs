using System.Net.ServerSentEvents;
using System.Text.Json.Serialization;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Http;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Metadata;
using Microsoft.AspNetCore.Routing;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

public sealed class ApiJsonTests : IDisposable
{
    private static readonly JsonSerializerContext[] Known = [ApiJson.Default, ProtocolJson.Default, ModelJson.Default];
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-api-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    /// <summary>What is made by reflection instead costs every start of the service and of a command.</summary>
    [Fact]
    public async Task Everything_that_is_asked_and_answered_has_its_JSON_made_ahead()
    {
        await using var app = HttpHost.Build(new ServiceOptions(_folder, 0));
        var said = ((IEndpointRouteBuilder)app)
            .DataSources.SelectMany(s => s.Endpoints)
            .SelectMany(e =>
                e.Metadata.OfType<IProducesResponseTypeMetadata>()
                    .Select(m => m.Type)
                    .Concat(e.Metadata.OfType<IAcceptsMetadata>().Select(m => m.RequestType))
            )
            .OfType<Type>()
            .Where(t => t != typeof(void) && t != typeof(string) && !t.IsAssignableTo(typeof(IResult)))
            .Select(t => t == typeof(SseItem<LiveEvent>) ? typeof(LiveEvent) : t)
            .Distinct()
            .ToList();
        said.Count.ShouldBeGreaterThan(50);
        said.Where(t => Known.All(k => k.GetTypeInfo(t) is null)).ShouldBeEmpty();
    }
}
