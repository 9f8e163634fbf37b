using System.Reflection;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

public sealed class ArchitectureTests
{
    /// <summary>Sealing of secrets, which is no HTTP.</summary>
    private const string Sealing = "Microsoft.AspNetCore.DataProtection";

    [Fact]
    public void Only_the_http_folder_and_the_host_know_of_http()
    {
        var looked = 0;
        foreach (var type in typeof(ServiceHost).Assembly.GetTypes())
        {
            var outer = type;
            while (outer.DeclaringType is { } around)
                outer = around;
            if (
                outer == typeof(ServiceHost)
                || outer.Namespace?.StartsWith("Furlough.Service.Http", StringComparison.Ordinal) == true
                || outer.Namespace?.StartsWith("Furlough.Service", StringComparison.Ordinal) != true
            )
                continue;
            looked++;
            Mentioned(type).Where(IsHttp).Select(t => t.FullName).ShouldBeEmpty($"{type} mentions them");
        }
        looked.ShouldBeGreaterThan(200);
    }

    private static bool IsHttp(Type type) =>
        type.Assembly.GetName().Name is { } assembly
        && assembly.StartsWith("Microsoft.AspNetCore", StringComparison.Ordinal)
        && !assembly.StartsWith(Sealing, StringComparison.Ordinal);

    /// <summary>Everything that a type's fields, methods and their local variables are made of.</summary>
    private static IEnumerable<Type> Mentioned(Type type)
    {
        const BindingFlags all =
            BindingFlags.Instance
            | BindingFlags.Static
            | BindingFlags.Public
            | BindingFlags.NonPublic
            | BindingFlags.DeclaredOnly;
        var types = type.GetFields(all)
            .Select(f => f.FieldType)
            .Concat(
                type.GetMethods(all)
                    .Cast<MethodBase>()
                    .Concat(type.GetConstructors(all))
                    .SelectMany(m =>
                        m.GetParameters()
                            .Select(p => p.ParameterType)
                            .Concat(m.GetMethodBody()?.LocalVariables.Select(v => v.LocalType) ?? [])
                            .Append(m is MethodInfo method ? method.ReturnType : typeof(void))
                    )
            )
            .Append(type.BaseType ?? typeof(object))
            .Concat(type.GetInterfaces());
        return types.SelectMany(t => t.IsGenericType ? t.GetGenericArguments().Prepend(t) : [t]);
    }
}
