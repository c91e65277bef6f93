using System.Globalization;
using System.Security.Claims;
using System.Threading.RateLimiting;
using Maschera.Store;
using Maschera.Store.People;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.Extensions.Options;

namespace Maschera.Web.People;

/// <summary>Who may enter and do what, on a network. Passwords, lockout and sessions are the framework's.</summary>
internal static class PeopleSetup
{
    /// <summary>So often a minute from one address: trying passwords, and apart from that opening reports.</summary>
    public const string Slowly = "slowly";

    private const int MostAMinute = 60,
        HeavyAtOnce = 4,
        HeavyEach = 2,
        HeavyWaiting = 64;

    private static readonly TimeSpan s_session = TimeSpan.FromHours(12);
    private static readonly TimeSpan s_lockout = TimeSpan.FromMinutes(10);
    private const int MostFailures = 5,
        ShortestPassword = 10;

    /// <summary>What everything needs, whoever may reach the server.</summary>
    public static void AddReach(this IServiceCollection services, Reach reach)
    {
        services.AddSingleton(reach);
        services.AddRateLimiter(limits =>
        {
            limits.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            // A person's own first: what waits for them takes no place of the others'.
            limits.GlobalLimiter = PartitionedRateLimiter.CreateChained(HeavyWork(Asking, HeavyEach), HeavyWork(_ => "all", HeavyAtOnce));
            limits.AddPolicy(
                Slowly,
                context =>
                    HttpMethods.IsGet(context.Request.Method) && context.Request.Path.StartsWithSegments("/people")
                        ? RateLimitPartition.GetNoLimiter("")
                        : RateLimitPartition.GetFixedWindowLimiter(
                            $"{context.Connection.RemoteIpAddress} {context.Request.Path.StartsWithSegments("/people")}",
                            _ => new() { PermitLimit = MostAMinute, Window = TimeSpan.FromMinutes(1) }
                        )
            );
        });
        if (!reach.IsOpen)
            services.AddAuthorization();
    }

    private static PartitionedRateLimiter<HttpContext> HeavyWork(Func<HttpContext, string> whose, int most) =>
        PartitionedRateLimiter.Create<HttpContext, string>(context =>
            context.GetEndpoint()?.Metadata.GetMetadata<HeavyWorkAttribute>() is null
                ? RateLimitPartition.GetNoLimiter("")
                : RateLimitPartition.GetConcurrencyLimiter(whose(context), _ => new() { PermitLimit = most, QueueLimit = HeavyWaiting })
        );

    private static string Asking(HttpContext context) =>
        context.User.Identity is { IsAuthenticated: true, Name: { } name }
            ? $"person {name}"
            : $"machine {context.Connection.RemoteIpAddress}";

    /// <summary>Registers people on the database of the folder.</summary>
    public static void AddPeople(this IServiceCollection services, DataFolder data)
    {
        services.AddDbContext<PeopleDb>(options => PeopleDb.Use(options, data.Database));
        services.AddSingleton<FirstWord>();
        services
            .AddIdentityCore<Person>(options =>
            {
                options.Lockout.MaxFailedAccessAttempts = MostFailures;
                options.Lockout.DefaultLockoutTimeSpan = s_lockout;
                // Length counts; what kinds of letters it has does not (NIST SP 800-63B, 5.1.1.2).
                options.Password.RequiredLength = ShortestPassword;
                options.Password.RequireDigit = options.Password.RequireLowercase = false;
                options.Password.RequireUppercase = options.Password.RequireNonAlphanumeric = false;
                options.User.AllowedUserNameCharacters = "";
                PeopleDb.Schema(options);
            })
            .AddEntityFrameworkStores<PeopleDb>()
            .AddSignInManager()
            .AddClaimsPrincipalFactory<WithRole>();
        services.AddAuthentication(IdentityConstants.ApplicationScheme).AddIdentityCookies();
        services.ConfigureApplicationCookie(Session);
        services.Configure<CookieAuthenticationOptions>(IdentityConstants.TwoFactorUserIdScheme, Between);
        services.Configure<SecurityStampValidatorOptions>(options => options.ValidationInterval = TimeSpan.FromSeconds(10));
        services.AddSingleton<IAuthorizationHandler, MayDoHandler>();
        services.AddAuthorization(options =>
            options.FallbackPolicy = new AuthorizationPolicyBuilder().RequireAuthenticatedUser().AddRequirements(new MayDo()).Build()
        );
    }

    /// <summary>What a passkey answers to, kept between question and answer.</summary>
    private static void Between(CookieAuthenticationOptions cookie)
    {
        cookie.Cookie.SameSite = SameSiteMode.Strict;
        cookie.Cookie.SecurePolicy = CookieSecurePolicy.Always;
    }

    private static void Session(CookieAuthenticationOptions cookie)
    {
        cookie.Cookie.Name = "maschera";
        cookie.Cookie.HttpOnly = true;
        cookie.Cookie.SameSite = SameSiteMode.Strict;
        cookie.Cookie.SecurePolicy = CookieSecurePolicy.Always;
        cookie.ExpireTimeSpan = s_session;
        cookie.SlidingExpiration = true;
        cookie.Events.OnRedirectToLogin = context =>
        {
            var request = context.Request;
            var isPage = HttpMethods.IsGet(request.Method) && request.Headers.Accept.ToString().Contains("html", StringComparison.Ordinal);
            if (!isPage)
                context.Response.StatusCode = StatusCodes.Status401Unauthorized;
            else
                context.Response.Redirect($"/people/enter?to={Uri.EscapeDataString(request.Path + request.QueryString)}");
            return Task.CompletedTask;
        };
        cookie.Events.OnRedirectToAccessDenied = context =>
        {
            context.Response.StatusCode = StatusCodes.Status403Forbidden;
            return Task.CompletedTask;
        };
    }

    /// <summary>Asks who it is, and tells it to what is done for the request.</summary>
    public static void UsePeople(this IApplicationBuilder app, Reach reach)
    {
        if (!reach.IsOpen)
        {
            app.UseRateLimiter();
            app.UseAuthorization();
            return;
        }

        app.UseAuthentication();
        app.UseRateLimiter();
        app.UseAuthorization();
        app.Use(
            (context, next) =>
            {
                AtWork.Name = context.User.Identity is { IsAuthenticated: true } who ? who.Name : null;
                return next(context);
            }
        );
    }

    /// <summary>What a person typed for a name, where it is one.</summary>
    public static string? NameIn(string? typed) => typed?.Trim() is { Length: > 0 and <= 80 } name ? name : null;

    /// <summary>A person's role as the session holds it.</summary>
    public static string? RoleOf(ClaimsPrincipal who) => who.FindFirstValue(ClaimTypes.Role);

    /// <summary>Why the framework refused, in sentences of the house.</summary>
    public static string Said(IdentityResult result) =>
        string.Join(
            " ",
            result.Errors.Select(e =>
                e.Code switch
                {
                    nameof(IdentityErrorDescriber.PasswordTooShort) =>
                        $"A password has {ShortestPassword.ToString(CultureInfo.InvariantCulture)} letters or more.",
                    nameof(IdentityErrorDescriber.DuplicateUserName) => "That name is taken.",
                    nameof(IdentityErrorDescriber.PasswordMismatch) => "The password of now is not that one.",
                    _ => e.Description,
                }
            )
        );

    /// <summary>The session holds the role beside the name.</summary>
    private sealed class WithRole(UserManager<Person> people, IOptions<IdentityOptions> options)
        : UserClaimsPrincipalFactory<Person>(people, options)
    {
        protected override async Task<ClaimsIdentity> GenerateClaimsAsync(Person user)
        {
            var identity = await base.GenerateClaimsAsync(user);
            identity.AddClaim(new(ClaimTypes.Role, user.Role));
            return identity;
        }
    }
}

/// <summary>
/// Work that takes the disk and both cores: uploads and files given out. A few at once, and fewer for one person or machine; the others
/// wait.
/// </summary>
[AttributeUsage(AttributeTargets.Class)]
internal sealed class HeavyWorkAttribute : Attribute;

/// <summary>Looking is for all who entered, writing for who works, people and strengths for who runs the workshop.</summary>
internal sealed class MayDo : IAuthorizationRequirement;

/// <inheritdoc cref="MayDo"/>
internal sealed class MayDoHandler : AuthorizationHandler<MayDo>
{
    protected override Task HandleRequirementAsync(AuthorizationHandlerContext context, MayDo requirement)
    {
        if (context.Resource is HttpContext http && Roles.Covers(PeopleSetup.RoleOf(context.User), Needed(http.Request)))
            context.Succeed(requirement);
        return Task.CompletedTask;
    }

    private static string Needed(HttpRequest request)
    {
        var writes = !HttpMethods.IsGet(request.Method) && !HttpMethods.IsHead(request.Method);
        if (request.Path.StartsWithSegments("/people/own") || request.Path.StartsWithSegments("/live/hub"))
            return Roles.Look;
        if (
            request.Path.StartsWithSegments("/people")
            || request.Path.StartsWithSegments("/state")
            || writes && request.Path.StartsWithSegments("/strengths")
        )
            return Roles.Run;
        return writes ? Roles.Work : Roles.Look;
    }
}
