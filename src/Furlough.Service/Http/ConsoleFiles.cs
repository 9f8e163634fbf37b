using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.FileProviders;

namespace Furlough.Service.Http;

/// <summary>The built console, as the service hands it out.</summary>
internal static class ConsoleFiles
{
    /// <summary>Serves it: files by their names, and its one page for every other address.</summary>
    internal static void Serve(WebApplication app, string folder)
    {
        var files = new PhysicalFileProvider(folder);
        app.UseStaticFiles(new StaticFileOptions { FileProvider = files });
        app.MapFallback(async context =>
            {
                context.Response.ContentType = "text/html; charset=utf-8";
                await context.Response.SendFileAsync(files.GetFileInfo("index.html"));
            })
            .AllowAnonymous()
            .ExcludeFromDescription();
    }

    /// <summary>The built console: beside the program, or in the working copy that it was built from.</summary>
    internal static string? Find()
    {
        for (var at = new DirectoryInfo(AppContext.BaseDirectory); at is not null; at = at.Parent)
            foreach (var place in (string[])["console", "src/console/dist"])
                if (File.Exists(Path.Combine(at.FullName, place, "index.html")))
                    return Path.Combine(at.FullName, place);
        return null;
    }
}
