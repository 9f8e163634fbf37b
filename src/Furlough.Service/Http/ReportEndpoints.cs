using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Reports;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Reports of runs, rooms and audits: as JSON, or as a self-contained page.</summary>
public static class ReportEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        Each(
            api,
            "/reports/runs/{number:long}",
            (ReportMaking making, long number, HttpContext context, CancellationToken stop) =>
                making.OfRunAsync(number, context.Who(), stop)
        );
        Each(
            api,
            "/reports/audits/{number:long}",
            (ReportMaking making, long number, HttpContext context, CancellationToken stop) =>
                making.OfAuditAsync(number, context.Who(), stop)
        );
        api.MapGet(
                "/reports/rooms/{room}",
                (ReportMaking making, string room, HttpContext context, CancellationToken stop) =>
                    making.OfRoomAsync(room, context.Who(), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet(
                "/reports/rooms/{room}/page",
                async (ReportMaking making, string room, HttpContext context, CancellationToken stop) =>
                    Page(await making.OfRoomAsync(room, context.Who(), stop))
            )
            .For(AccessLevel.Reader);
    }

    private static void Each(
        RouteGroupBuilder api,
        string path,
        Func<ReportMaking, long, HttpContext, CancellationToken, Task<Report>> make
    )
    {
        api.MapGet(path, (ReportMaking making, long number, HttpContext context, CancellationToken stop) =>
                make(making, number, context, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet(
                path + "/page",
                async (ReportMaking making, long number, HttpContext context, CancellationToken stop) =>
                    Page(await make(making, number, context, stop))
            )
            .For(AccessLevel.Reader);
    }

    private static IResult Page(Report report) => TypedResults.Text(ReportPage.Of(report), "text/html; charset=utf-8");
}
